// Fetches an address through a proxy, as programs on Node do, and prints what
// came back. The authority comes from NODE_EXTRA_CA_CERTS.
import { fetch, ProxyAgent } from 'undici';

const [proxy, address] = process.argv.slice(2);
const dispatcher = new ProxyAgent(proxy);
const answer = await fetch(address, { dispatcher });
console.log(answer.status, await answer.text());
await dispatcher.close();
