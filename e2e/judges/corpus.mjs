// Holds answers of many contracts against their schemas. Reads lines of
// {"name": "...", "document": {...}, "old": true, "checks": [{"pointer": "/paths/...", "values": [...]}]}
// and writes a line of JSON for each: {"name", "judged", "wrong": [...], "unjudged"}.
import { createInterface } from 'node:readline';
import Ajv2020 from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { plain } from './dialect.mjs';

for await (const line of createInterface({ input: process.stdin })) {
  const { name, document, old, checks } = JSON.parse(line);
  const told = { name, judged: 0, wrong: [], unjudged: 0 };
  const ajv = new Ajv2020({ strict: false, allErrors: false, validateFormats: true, multipleOfPrecision: 9, logger: false });
  addFormats(ajv);
  try {
    ajv.addSchema(plain(document, old), 'contract.json');
  } catch (error) {
    told.unjudged = checks.reduce((n, { values }) => n + values.length, 0);
    told.why = String(error).slice(0, 200);
    console.log(JSON.stringify(told));
    continue;
  }
  for (const { pointer, values } of checks) {
    let validate;
    try {
      validate = ajv.compile({ $ref: `contract.json#${pointer.split('/').map(encodeURIComponent).join('/')}` });
    } catch (error) {
      told.unjudged += values.length;
      told.why ??= String(error).slice(0, 200);
      continue;
    }
    for (const value of values) {
      let obeys;
      try {
        obeys = validate(value);
      } catch (error) { // of schemas that hang together in circles
        told.unjudged++;
        told.why ??= String(error).slice(0, 200);
        continue;
      }
      told.judged++;
      if (!obeys) told.wrong.push(`${pointer}: ${ajv.errorsText(validate.errors)}: ${JSON.stringify(value).slice(0, 300)}`);
    }
  }
  console.log(JSON.stringify(told));
}
