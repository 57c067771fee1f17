// Has a SOAP client of npm call the operations of contracts: it reads the original contract, makes
// its own requests, and reads what it is answered. Each line of the input names a contract and its
// operations with a message each, whose values are sent; for each call a line goes out, to which a line
// with the answer comes back. The last line for a contract tells how it went.
import { createRequire } from 'node:module';
import { createInterface } from 'node:readline';

const require = createRequire(import.meta.url);
const kind = process.argv[2];
const lines = createInterface({ input: process.stdin })[Symbol.asyncIterator]();
const say = (value) => process.stdout.write(`${JSON.stringify(value)}\n`);
console.log = console.info = console.warn = console.error = () => {}; // some clients tell the output of theirs

/** Sends a request of the client to the other end of the pipe. */
const transport = (answered) => ({
  request(url, body, callback, headers = {}) {
    const header = (name) => Object.entries(headers).find(([key]) => key.toLowerCase() === name)?.[1] ?? '';
    say({ call: { ...answered.of, type: header('content-type'), action: header('soapaction'), body } });
    lines.next().then(({ value }) => {
      const { status, type, body } = JSON.parse(value);
      answered.status = status;
      callback(null, { status, statusCode: status, headers: { 'content-type': type } }, body);
    });
    return { headers: {} };
  },
});

/** The two clients: open reads a contract, ports lists its operations, args reads the values of a message. */
const clients = {
  soap: {
    async open(contract, httpClient, version) {
      return require('soap').createClientAsync(contract, { httpClient, disableCache: true, forceSoap12Headers: version === 12 });
    },
    ports(client) {
      return Object.entries(client.wsdl.definitions.services ?? {}).flatMap(([service, { ports }]) =>
        Object.entries(ports).map(([port, { binding }]) => ({ service, port, operations: Object.keys(binding.methods) })),
      );
    },
    args(client, _operation, message) {
      const { Body } = client.wsdl.xmlToObject(message);
      return Object.values(Body ?? {}).find((value) => value && typeof value === 'object') ?? {};
    },
  },
  'strong-soap': {
    open(contract, httpClient) {
      return new Promise((resolve, reject) =>
        require('strong-soap').soap.createClient(contract, { httpClient }, (error, client) => (error ? reject(error) : resolve(client))),
      );
    },
    ports(client) {
      return Object.entries(client.wsdl.definitions.services ?? {}).flatMap(([service, { ports }]) =>
        Object.entries(ports).map(([port, { binding }]) => ({ service, port, operations: Object.keys(binding.operations), described: binding.operations })),
      );
    },
    args(client, operation, message) {
      const descriptor = operation.describe(client.wsdl.definitions);
      const body = client.xmlHandler.xmlToJson(null, message, descriptor.inputEnvelope)?.Body ?? {};
      return operation.$name in body ? (body[operation.$name] ?? {}) : body; // what is called as its operation it wraps itself
    },
  },
};

/** Calls an operation; what is thrown anywhere within is the error. */
const call = (port, operation, args) =>
  new Promise((resolve) => {
    const failed = (error) => resolve({ error: String(error?.message ?? error).slice(0, 200), own: error instanceof TypeError });
    process.once('uncaughtException', failed);
    try {
      port[operation](args, (error) => (error ? failed(error) : resolve({})));
    } catch (error) {
      failed(error);
    }
  }).finally(() => process.removeAllListeners('uncaughtException'));

async function judged({ contract, asked }) {
  const told = { understood: 0, unjudged: 0, wrong: [] };
  const answered = {};
  const way = clients[kind];
  const opened = {};
  try {
    for (const { type } of asked) {
      const version = type.startsWith('application/soap+xml') ? 12 : 11;
      opened[version] ??= await way.open(contract, transport(answered), version);
    }
  } catch (error) {
    return { ...told, unread: String(error?.message ?? error).slice(0, 200) };
  }
  for (const { operation, port, message, type } of asked) {
    const client = opened[type.startsWith('application/soap+xml') ? 12 : 11];
    const ports = way.ports(client);
    const at = ports.find((p) => p.port === port && p.operations.includes(operation));
    let args;
    try {
      args = at && way.args(client, at.described?.[operation], message);
    } catch {
      // what it would send it cannot read
    }
    if (!args) {
      told.unjudged++;
      continue;
    }
    Object.assign(answered, { of: { operation, port }, status: 0 });
    const { error, own } = await call(client[at.service]?.[port], operation, args);
    if (!error) told.understood++;
    else if (answered.status && !own) told.wrong.push(`${operation} at ${port}: ${answered.status}: ${error}`);
    else told.unjudged++; // it failed by itself
  }
  return told;
}

process.on('unhandledRejection', () => {});
for (let next = await lines.next(); !next.done; next = await lines.next()) {
  say(await judged(JSON.parse(next.value)));
}
