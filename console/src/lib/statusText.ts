const reasons: Record<number, string> = {
  200: 'OK',
  201: 'Created',
  202: 'Accepted',
  204: 'No Content',
  206: 'Partial Content',
  301: 'Moved Permanently',
  302: 'Found',
  303: 'See Other',
  304: 'Not Modified',
  307: 'Temporary Redirect',
  308: 'Permanent Redirect',
  400: 'Bad Request',
  401: 'Unauthorized',
  403: 'Forbidden',
  404: 'Not Found',
  405: 'Method Not Allowed',
  406: 'Not Acceptable',
  408: 'Request Timeout',
  409: 'Conflict',
  410: 'Gone',
  412: 'Precondition Failed',
  413: 'Content Too Large',
  415: 'Unsupported Media Type',
  418: 'I’m a Teapot',
  422: 'Unprocessable Content',
  423: 'Locked',
  425: 'Too Early',
  428: 'Precondition Required',
  429: 'Too Many Requests',
  500: 'Internal Server Error',
  501: 'Not Implemented',
  502: 'Bad Gateway',
  503: 'Service Unavailable',
  504: 'Gateway Timeout',
  507: 'Insufficient Storage',
};

const classes: Record<number, string> = {
  2: 'success',
  3: 'redirection',
  4: 'client error',
  5: 'server error',
};

/** The reason of a status code, or its class where it has none of its own. */
export function statusText(status: number): string {
  if (status === 0) return 'no answer';
  if (status === 499) return 'the caller left';
  return reasons[status] ?? classes[Math.floor(status / 100)] ?? 'not a common status';
}
