/**
 * What OpenAPI says beside JSON Schema: an answer needs no writeOnly property, a discriminator counts;
 * and, of a document of 3.0, its own keywords.
 */
export function plain(node, old) {
  if (Array.isArray(node)) return node.map((item) => plain(item, old));
  if (node === null || typeof node !== 'object') return node;
  const out = Object.fromEntries(Object.entries(node).map(([key, value]) => [key, plain(value, old)]));
  if (Array.isArray(out.required)) {
    out.required = out.required.filter((name) => !out.properties?.[name]?.writeOnly);
  }
  if (out.discriminator?.propertyName && Array.isArray(out.oneOf)) {
    // which tells apart what plain oneOf would take for several at once
    const { propertyName, mapping = {} } = out.discriminator;
    out.anyOf = out.oneOf.map((kind) => {
      const own = kind.$ref?.split('/').at(-1);
      const names = Object.keys(mapping).filter((name) => mapping[name] === kind.$ref || mapping[name] === own);
      return names.length === 0 ? kind : { allOf: [kind, { properties: { [propertyName]: { enum: [...names, own] } } }] };
    });
    delete out.oneOf;
  }
  if (!old) return out;
  if ((out.nullable === true || out['x-nullable'] === true) && typeof out.type === 'string') {
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
