// Calls every operation and fault of the customs desk with a SOAP client that
// knows nothing but the served WSDL, in both versions of SOAP.
import assert from 'node:assert/strict';
import soap from 'soap';

const wsdl = process.argv[2];
const item = {
  attributes: { line: '1' }, kind: 'fish', description: 'Herring', pieces: 40, weight: '820.5',
};
const calls = {
  submitManifest: [{ vessel: { name: 'Grey Gannet', callSign: 'SKQ41' }, arrival: '2026-12-01T06:30:00Z', cargo: [item] }, (r) => assert.match(r.manifest, /^M-\d{4}-[A-Z]{2}$/)],
  askClearance: [{ manifest: 'M-2041-SK' }, (r) => assert.equal(r.manifest, 'M-2041-SK')],
  listHolds: [{ pier: 'north' }, (r) => assert.ok(r === null || typeof r === 'object')],
};
const faults = { submitManifest: 'cargoRefused', askClearance: 'unknownManifest' };

for (const [version, port] of [[11, 'Desk'], [12, 'Desk12']]) {
  const client = await soap.createClientAsync(wsdl, { forceSoap12Headers: version === 12 });
  const desk = client.CustomsDesk[port];
  const call = (operation, args, headers) =>
    new Promise((resolve) => desk[operation](args, (error, result) => resolve({ error, result }), undefined, headers));
  for (const [operation, [args, check]] of Object.entries(calls)) {
    const { error, result } = await call(operation, args);
    assert.equal(error, null, `${operation} in ${version}: ${error}`);
    check(result);
    console.log(`${operation} ${version}`);
  }
  for (const [operation, fault] of Object.entries(faults)) {
    const { error } = await call(operation, calls[operation][0], { 'Rapid-Mimic': `example="${fault}"` });
    const detail = version === 11 ? error.root.Envelope.Body.Fault.detail : error.root.Envelope.Body.Fault.Detail;
    assert.ok(detail[fault].message, `${fault} in ${version}`);
    console.log(`${fault} ${version}`);
  }
}
