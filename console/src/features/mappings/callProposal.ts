/** Query parameters that say when or how a call came, not what it asks for. */
const noise = /^(_|t|ts|time|timestamp|nonce|cb|cachebuster|cache|rand|random|utm_.*|trace.*|request-?id)$/i;

/** The parameters of a query that tell calls apart, as conditions; "" for none. */
export function queryConditions(query: string): string {
  const conditions = [...new URLSearchParams(query)]
    .filter(([name]) => !noise.test(name))
    .map(([name, value]) => ({ query: name, equals: value }));
  if (conditions.length === 0) return '';
  return `[${conditions.map((c) => JSON.stringify(c)).join(',\n ')}]`;
}

const varying =
  /^(?!v\d+$)(\d+|[A-Za-z]{0,3}-?\d[\w-]*|[0-9a-f]{8}-[0-9a-f-]{27}|[0-9a-f]{16,}|[^/]*%40[^/]*|[^/]*@[^/]*)$/i;

/**
 * A path in which segments that look like names of single things are parameters:
 * /berths/N7/bookings gives /berths/{berth}/bookings. "" when none looks so.
 */
export function pathProposal(path: string): string {
  const taken = new Set<string>();
  let before = '';
  const segments = path.split('/').map((segment) => {
    const was = before;
    before = segment;
    if (segment.includes('{') || !varying.test(segment)) return segment;
    const base = singular(was.replace(/[^A-Za-z0-9_]/g, '')) || 'id';
    let name = /^[A-Za-z]/.test(base) ? base : 'id';
    while (taken.has(name)) name += '2';
    taken.add(name);
    return `{${name}}`;
  });
  const proposal = segments.join('/');
  return proposal === path ? '' : proposal;
}

function singular(word: string): string {
  return word.replace(/ies$/, 'y').replace(/([^s])s$/, '$1');
}
