import type { Exchange, Message } from '@/api/types';
import { pretty } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { DiffView } from '@/ui/DiffView';

interface Props {
  upstream: Exchange;
  request: { line: string; message: Message };
  answer: { status: number; message: Message };
}

/** What a mapping edited on the way to the upstream and back, before and after. */
export function UpstreamView({ upstream, request, answer }: Props) {
  const sent = text(`${upstream.method} ${upstream.target}`, upstream.request);
  return (
    <section className="space-y-3 border-line border-t px-5 py-3">
      <h3 className="font-semibold text-[13px]">Edited on the way</h3>
      {upstream.answer && upstream.status !== undefined && (
        <DiffView
          titles={['The upstream said', 'The caller got']}
          before={text(statusLine(upstream.status), upstream.answer)}
          after={text(statusLine(answer.status), answer.message)}
        />
      )}
      <details>
        <summary className="cursor-pointer text-[13px]">
          The request, as it came and as it was sent on
        </summary>
        <DiffView
          titles={['The caller asked', 'The upstream was asked']}
          before={text(request.line, request.message)}
          after={sent}
        />
      </details>
    </section>
  );
}

function statusLine(status: number): string {
  return `${status} ${statusText(status)}`;
}

/** Headers that follow from the connection or the body alone. */
const follows = /^(content-length|connection|date|host|accept-encoding)$/i;

function text(first: string, message: Message): string {
  const headers = message.headers
    .filter(([name = '']) => !follows.test(name))
    .map(([name = '', value = '']) => `${name.toLowerCase()}: ${value}`)
    .sort();
  return [first, ...headers, '', message.encoding === 'text' ? pretty(message.body) : ''].join('\n');
}
