import { useMutation } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'wouter';
import type { TestCallResult } from '@/api/types';
import { duration, languageOf } from '@/lib/format';
import { headerText, parseHeaders } from '@/lib/headerText';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { TextArea } from '@/ui/TextArea';
import { MessageView } from './MessageView';
import { sendTestCall } from './queries';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

interface Props {
  service: string;
  lane: string;
  method: string;
  /** Relative to the service, with its query. */
  path: string;
  headers?: string[][];
  /** None where the call takes none. */
  body?: string;
  onSent?(): void;
}

/** A call that is changed and sent over the network, as any caller does. */
export function SendCall({ service, lane, method, onSent, ...start }: Props) {
  const [path, setPath] = useState(start.path);
  const [headers, setHeaders] = useState(headerText(start.headers));
  const [body, setBody] = useState(start.body ?? '');
  const parsed = parseHeaders(headers);
  const takesBody = start.body !== undefined;
  const send = useMutation({
    mutationFn: () =>
      sendTestCall(service, {
        method,
        path,
        headers: parsed ?? [],
        body: body || undefined,
        lane: lane || undefined,
      }),
    onSuccess: onSent,
  });
  return (
    <>
      <form
        className="space-y-3"
        onSubmit={(event) => {
          event.preventDefault();
          send.mutate();
        }}
      >
        <div className="flex flex-wrap items-end gap-2">
          <span className="flex h-8 items-center font-mono text-[13px]">{method}</span>
          <div className="min-w-72 flex-1">
            <Field
              label="Path and query"
              value={path}
              onChange={(event) => setPath(event.target.value)}
              className="w-full font-mono text-xs"
            />
          </div>
          <Button type="submit" look="main" disabled={send.isPending || parsed === null}>
            {send.isPending ? 'Sending' : 'Send the call'}
          </Button>
        </div>
        <div className="flex flex-wrap gap-3">
          <TextArea
            label="Headers, one a line"
            value={headers}
            onChange={setHeaders}
            fault={parsed ? undefined : 'each line is Name: value'}
            rows={takesBody ? 8 : 2}
          />
          {takesBody && (
            <div className="flex min-w-64 flex-1 flex-col gap-1">
              <span className="font-medium text-dim text-xs">Body</span>
              <div className="flex h-44 resize-y overflow-auto">
                <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
                  <CodeEditor label="Body" language={languageOf(body)} value={body} onChange={setBody} />
                </Suspense>
              </div>
            </div>
          )}
        </div>
      </form>
      {send.isError && (
        <div className="pt-3">
          <ProblemNotice message={send.error.message} />
        </div>
      )}
      {send.data && <Result result={send.data} />}
    </>
  );
}

function Result({ result }: { result: TestCallResult }) {
  return (
    <div className="-mx-5 pt-3" role="status">
      <p className="px-5 pb-2 text-[13px]">
        <strong>
          {result.status} {statusText(result.status)}
        </strong>{' '}
        <span className="text-dim">after {duration(result.tookMs)}.</span>{' '}
        {result.call ? (
          <Link href={`/calls?call=${result.call}`} className="text-accent hover:underline">
            Why it got this: call {result.call}
          </Link>
        ) : (
          <span className="text-dim">The service does not reveal the call; it is the newest in the log.</span>
        )}
      </p>
      <MessageView title="What came back" message={result.answer} />
    </div>
  );
}
