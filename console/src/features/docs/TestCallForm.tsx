import { useMutation, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'wouter';
import { keys } from '@/api/keys';
import { myLane } from '@/api/myLane';
import type { OperationDetail, TestCallResult } from '@/api/types';
import { MessageView } from '@/features/calls';
import { duration, languageOf, pretty } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { Panel } from '@/ui/Panel';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { TextArea } from '@/ui/TextArea';
import { headerText, parseHeaders } from './headerText';
import { sendTestCall } from './queries';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

/** A call that works as it stands, to be changed and sent. */
export function TestCallForm({ service, detail }: { service: string; detail: OperationDetail }) {
  const queries = useQueryClient();
  const [path, setPath] = useState(detail.try.path);
  const [headers, setHeaders] = useState(headerText(detail.try.headers));
  const [body, setBody] = useState(pretty(detail.try.body ?? ''));
  const parsed = parseHeaders(headers);
  const send = useMutation({
    mutationFn: () =>
      sendTestCall(service, {
        method: detail.method,
        path,
        headers: parsed ?? [],
        body: body || undefined,
        lane: myLane.get() || undefined,
      }),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.operations(service) }),
  });
  const takesBody = detail.takes.length > 0;
  return (
    <Panel title="Send a test call">
      <form
        className="space-y-3 px-5"
        onSubmit={(event) => {
          event.preventDefault();
          send.mutate();
        }}
      >
        <div className="flex flex-wrap items-end gap-2">
          <span className="flex h-8 items-center font-mono text-[13px]">{detail.method}</span>
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
        <div className="px-5 pt-3">
          <ProblemNotice message={send.error.message} />
        </div>
      )}
      {send.data && <Result result={send.data} />}
    </Panel>
  );
}

function Result({ result }: { result: TestCallResult }) {
  return (
    <div className="pt-3" role="status">
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
