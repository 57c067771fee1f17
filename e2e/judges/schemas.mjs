// Holds generated values against their JSON Schemas. Reads lines of
// {"document": {...}, "pointer": "/paths/...", "values": [...]} and writes a
// line for each value that does not obey, and at the end how many were judged.
import { createInterface } from 'node:readline';
import Ajv2020 from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';

/**
 * What OpenAPI says beside JSON Schema: an answer needs no writeOnly property;
 * and, of a document of 3.0, its own keywords.
 */
function plain(node, old) {
  if (Array.isArray(node)) return node.map((item) => plain(item, old));
  if (node === null || typeof node !== 'object') return node;
  const out = Object.fromEntries(Object.entries(node).map(([key, value]) => [key, plain(value, old)]));
  if (Array.isArray(out.required)) {
    out.required = out.required.filter((name) => !out.properties?.[name]?.writeOnly);
  }
  if (!old) return out;
  if (out.nullable === true && typeof out.type === 'string') {
    out.type = [out.type, 'null'];
    if (out.enum) out.enum.push(null);
  }
  for (const [flag, limit] of [['exclusiveMinimum', 'minimum'], ['exclusiveMaximum', 'maximum']]) {
    if (typeof out[flag] !== 'boolean') continue;
    if (out[flag]) {
      out[flag] = out[limit];
      delete out[limit];
    } else delete out[flag];
  }
  return out;
}

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
