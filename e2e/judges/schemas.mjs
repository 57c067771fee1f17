// Holds generated values against their JSON Schemas. Reads lines of
// {"document": {...}, "pointer": "/paths/...", "values": [...]} and writes a
// line for each value that does not obey, and at the end how many were judged.
import { createInterface } from 'node:readline';
import Ajv2020 from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { plain } from './dialect.mjs';

let judged = 0;
for await (const line of createInterface({ input: process.stdin })) {
  const { document, pointer, values, old } = JSON.parse(line);
  const ajv = new Ajv2020({ strict: false, allErrors: false, validateFormats: true, multipleOfPrecision: 9 });
  addFormats(ajv);
  ajv.addSchema(plain(document, old), 'contract.json');
  const validate = ajv.compile({ $ref: `contract.json#${pointer.split('/').map(encodeURIComponent).join('/')}` });
  for (const value of values) {
    judged++;
    if (!validate(value)) {
      console.log(`${pointer}: ${JSON.stringify(value)}: ${ajv.errorsText(validate.errors)}`);
    }
  }
}
console.log(`judged ${judged}`);
