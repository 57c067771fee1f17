import { type ReactNode, useState } from 'react';
import type { Message } from '@/api/types';
import { bytes, isJson, isXml, pretty } from '@/lib/format';
import { type BodyField, BodyView } from '@/ui/BodyView';
import { Button } from '@/ui/Button';
import { CopyButton } from '@/ui/CopyButton';

interface Props {
  title: string;
  message: Message;
  /** What can be done with a field of the body. */
  actions?(field: BodyField): ReactNode;
}

/** The request or the answer of a call: headers, then the body. */
export function MessageView({ title, message, actions }: Props) {
  const [raw, setRaw] = useState(false);
  const structured =
    message.parts !== undefined ||
    (message.encoding === 'text' && (isJson(message.body) || isXml(message.body)));
  return (
    <section className="border-line border-t px-5 py-3">
      <div className="mb-1.5 flex items-center justify-between gap-2">
        <h3 className="font-semibold text-[13px]">{title}</h3>
        <span className="flex items-center gap-1">
          {structured && (
            <Button look="bare" className="h-6" aria-pressed={raw} onClick={() => setRaw(!raw)}>
              {raw ? 'Laid out' : 'As sent'}
            </Button>
          )}
          {message.body && <CopyButton text={message.body} what={`${title} body`} />}
        </span>
      </div>
      <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-3 gap-y-0.5 font-mono text-xs">
        {message.headers.map(([name, value], i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: header lines repeat and never move
          <div key={i} className="contents">
            <dt className="text-dim">{name}</dt>
            <dd className="break-words">{value}</dd>
          </div>
        ))}
      </dl>
      <Body title={title} message={message} raw={raw} actions={actions} />
    </section>
  );
}

function Body({ title, message, raw, actions }: Props & { raw: boolean }) {
  if (message.size === 0) return <p className="mt-2 text-dim text-xs">no body</p>;
  if (message.parts && !raw) return <Parts parts={message.parts} />;
  if (message.encoding === 'base64') {
    return <p className="mt-2 text-dim text-xs">{bytes(message.size)} that are no text</p>;
  }
  return (
    <>
      <BodyView body={message.body} label={`Body of ${title.toLowerCase()}`} raw={raw} actions={actions} />
      {message.truncated && (
        <p className="mt-1 text-miss text-xs">Cut: the log keeps the beginning of {bytes(message.size)}.</p>
      )}
    </>
  );
}

/** The parts of a message with attachments, its root first. */
function Parts({ parts }: { parts: NonNullable<Message['parts']> }) {
  return (
    <ul aria-label="Parts" className="mt-2 space-y-2">
      {parts.map((part, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: parts may lack a name, and never move
        <li key={i}>
          <p className="text-dim text-xs">
            Part <span className="font-mono text-ink">{part.id || 'without a name'}</span>,{' '}
            {part.contentType || 'of no type'}, {bytes(part.size)}
          </p>
          {part.text && (
            <section
              tabIndex={0}
              aria-label={`Part ${part.id || i + 1}`}
              className="mt-1 max-h-[40vh] overflow-auto whitespace-pre-wrap break-words rounded bg-sunken p-2.5 font-mono text-xs"
            >
              {pretty(part.text)}
            </section>
          )}
        </li>
      ))}
    </ul>
  );
}
