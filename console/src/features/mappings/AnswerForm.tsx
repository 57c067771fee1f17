import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useMemo } from 'react';
import { pretty } from '@/lib/format';
import { word } from '@/lib/shell';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { cn } from '@/ui/cn';
import type { CallKnown } from '@/ui/expressionHelp';
import { Field, inputLook } from '@/ui/Field';
import { AnswerExtras } from './AnswerExtras';
import { type AnswerDraft, type AnswerFaults, hasStatus, isElsewhere, jsonFault } from './answerDraft';
import { ElsewhereFields } from './ElsewhereFields';
import { HeaderLines } from './HeaderLines';

import type { MappingDraft } from './mappingDraft';
import { payloadList } from './queries';
import { useAnswerFields } from './useAnswerFields';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

interface Props {
  service: string;
  draft: AnswerDraft;
  faults: AnswerFaults;
  change(part: Partial<AnswerDraft>): void;
  /** The call that it is written for. */
  known: CallKnown;
  /** What the mapping asks for. */
  asked: Pick<MappingDraft, 'operation' | 'method' | 'path'>;
}

const kinds = [
  { kind: 'json', word: 'JSON' },
  { kind: 'xml', word: 'XML' },
  { kind: 'text', word: 'Text' },
  { kind: 'base64', word: 'Base64' },
  { kind: 'payload', word: 'Payload' },
  { kind: 'script', word: 'Script' },
  { kind: 'redirect', word: 'Redirect' },
  { kind: 'fault', word: 'SOAP fault' },
  { kind: 'contract', word: 'From the contract' },
  { kind: 'upstream', word: 'From the upstream' },
  { kind: 'changed', word: 'Another answer, changed' },
  { kind: 'none', word: 'No body' },
] as const;

/** The kinds whose body is written in the editor, and its language. */
const hasText: Partial<Record<AnswerDraft['kind'], 'json' | 'xml' | 'text'>> = {
  json: 'json',
  xml: 'xml',
  text: 'text',
  base64: 'text',
  script: 'text',
  fault: 'xml',
};

/** What is written in the editor, where that is no body. */
const labels: Partial<Record<AnswerDraft['kind'], string>> = {
  script: 'Script of the answer',
};

/** The language of a body that is text: what its media type says it is. */
function languageOf(draft: AnswerDraft): 'json' | 'xml' | 'text' {
  const type = draft.headers.find(({ name }) => name.toLowerCase() === 'content-type')?.value ?? '';
  if (draft.kind !== 'text') return hasText[draft.kind] ?? 'text';
  return /[/+]json\b/i.test(type) ? 'json' : /[/+]xml\b/i.test(type) ? 'xml' : 'text';
}

/** A redirect has a status of its own; other kinds do not have that. */
function ofKind(draft: AnswerDraft, kind: AnswerDraft['kind']): Partial<AnswerDraft> {
  if (kind === 'redirect' && !draft.status.startsWith('3')) return { kind, status: '302' };
  if (draft.kind === 'redirect' && draft.status.startsWith('3')) return { kind, status: '200' };
  return { kind };
}

/** One answer of a mapping. */
export function AnswerForm({ service, draft, faults, change, known, asked }: Props) {
  const language = languageOf(draft);
  const fields = useAnswerFields(service, asked, draft.status);
  const full = useMemo(() => ({ ...known, fields }), [known, fields]);
  return (
    <>
      {hasStatus(draft) && (
        <div className="flex flex-wrap items-start gap-6">
          <Field
            label="Status"
            hint={statusText(Number(draft.status))}
            fault={faults.status}
            value={draft.status}
            onChange={(event) => change({ status: event.target.value })}
            className="w-24 font-mono"
          />
          <HeaderLines headers={draft.headers} onChange={(headers) => change({ headers })} />
        </div>
      )}
      <div className={cn('flex flex-col gap-1.5', isElsewhere(draft) ? 'shrink-0' : 'min-h-[280px] flex-1')}>
        <div className="flex items-center justify-between">
          <fieldset className="flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
            <legend className="sr-only">Kind of body</legend>
            {kinds.map(({ kind, word }) => (
              <label key={kind} className="inline-flex items-center gap-1.5">
                <input
                  type="radio"
                  name="kind"
                  checked={draft.kind === kind}
                  onChange={() => change(ofKind(draft, kind))}
                />
                {word}
              </label>
            ))}
          </fieldset>
          {(draft.kind === 'json' || draft.kind === 'xml' || draft.kind === 'text') &&
            language !== 'text' && (
              <Button
                look="bare"
                className="h-6"
                disabled={language === 'json' && jsonFault(draft.body) !== ''}
                onClick={() => change({ body: pretty(draft.body) })}
              >
                Lay out
              </Button>
            )}
        </div>
        {draft.recorded && (
          <p className="text-dim text-xs">
            Recorded: the very bytes come back until the body is edited; then its coding, ETag and digests
            follow what is sent.
          </p>
        )}
        {draft.kind === 'script' && (
          <p className="text-dim text-xs">
            JavaScript that makes the whole answer:{' '}
            <code>{'export default (call, state, fake) => ({ status: 200, json: { … } })'}</code>; or the name
            of a payload that ends in .js.
          </p>
        )}
        {draft.kind === 'fault' && <FaultFields draft={draft} change={change} />}
        {draft.kind === 'contract' && <ContractFields draft={draft} change={change} />}
        {isElsewhere(draft) && <ElsewhereFields service={service} draft={draft} change={change} />}
        {draft.kind === 'payload' && <PayloadChoice service={service} draft={draft} change={change} />}
        {draft.kind === 'redirect' && (
          <Field
            label="Where to"
            hint="A path of the service, or an address; ${…} may stand in it"
            value={draft.redirect}
            onChange={(event) => change({ redirect: event.target.value })}
            className="font-mono"
          />
        )}
        {hasText[draft.kind] && (
          <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
            <CodeEditor
              label={labels[draft.kind] ?? 'Body of the answer'}
              language={language}
              value={draft.body}
              onChange={(body) => change({ body })}
              expressions={draft.kind !== 'script'}
              known={language === 'json' && draft.kind === 'json' ? full : known}
            />
          </Suspense>
        )}
        {faults.body && (
          <p role="alert" className="text-bad text-xs">
            {faults.body}
          </p>
        )}
      </div>
      <AnswerExtras draft={draft} faults={faults} change={change} />
    </>
  );
}

/** What a fault says beside its detail, which is the body. */
function FaultFields({ draft, change }: Pick<Props, 'draft' | 'change'>) {
  return (
    <div className="flex flex-wrap items-end gap-3">
      <label className="flex flex-col gap-1 font-medium text-dim text-xs">
        Code
        <select
          value={draft.faultCode}
          onChange={(event) => change({ faultCode: event.target.value })}
          className={inputLook}
        >
          <option value="Client">Client (Sender in SOAP 1.2)</option>
          <option value="Server">Server (Receiver in SOAP 1.2)</option>
          <option>MustUnderstand</option>
          <option>VersionMismatch</option>
        </select>
      </label>
      <Field
        label="Text of the fault"
        value={draft.faultText}
        onChange={(event) => change({ faultText: event.target.value })}
        className="w-80"
      />
      <span className="text-dim text-xs">Below: its detail, as XML</span>
    </div>
  );
}

/** What of the contract answers: a named example, or data drawn anew. */
function ContractFields({ draft, change }: Pick<Props, 'draft' | 'change'>) {
  return (
    <Field
      label="Example of the contract"
      hint="Its name, or that of a declared fault; left empty, data are drawn from the schema"
      value={draft.example}
      onChange={(event) => change({ example: event.target.value })}
      className="max-w-80"
    />
  );
}

/** Which of the payloads of the service is sent. */
function PayloadChoice({ service, draft, change }: Pick<Props, 'service' | 'draft' | 'change'>) {
  const { data } = useQuery(payloadList(service));
  const names = data?.items.map(({ name }) => name) ?? [];
  return (
    <div className="space-y-2">
      <label className="flex max-w-80 flex-col gap-1 font-medium text-dim text-xs">
        Payload
        <select
          value={draft.payload}
          onChange={(event) => change({ payload: event.target.value })}
          className={inputLook}
        >
          <option value="">Choose one</option>
          {[...new Set([...names, draft.payload])].filter(Boolean).map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <p className="text-dim text-xs">
        A payload is a large body in a file of its own. In texts ${'{…}'} stands for expressions.
      </p>
      <CommandLine command={`rapidmimic payload put ${word(service)} FILE`} />
    </div>
  );
}
