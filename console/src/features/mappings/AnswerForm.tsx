import { lazy, Suspense } from 'react';
import { pretty } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { Field, inputLook } from '@/ui/Field';
import { HeaderLines } from './HeaderLines';
import { type Faults, jsonFault, type MappingDraft } from './mappingDraft';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

interface Props {
  draft: MappingDraft;
  faults: Faults;
  change(part: Partial<MappingDraft>): void;
}

const kinds = [
  { kind: 'json', word: 'JSON' },
  { kind: 'xml', word: 'XML' },
  { kind: 'text', word: 'Text' },
  { kind: 'fault', word: 'SOAP fault' },
  { kind: 'contract', word: 'From the contract' },
  { kind: 'none', word: 'No body' },
] as const;

export function AnswerForm({ draft, faults, change }: Props) {
  return (
    <>
      <div className="flex flex-wrap items-start gap-6">
        <Field
          label="Status"
          inputMode="numeric"
          hint={statusText(Number(draft.status))}
          fault={faults.status}
          value={draft.status}
          onChange={(event) => change({ status: event.target.value })}
          className="w-24 font-mono"
        />
        <HeaderLines headers={draft.headers} onChange={(headers) => change({ headers })} />
      </div>
      <div className="flex min-h-[280px] flex-1 flex-col gap-1.5">
        <div className="flex items-center justify-between">
          <fieldset className="flex gap-4 text-[13px]">
            <legend className="sr-only">Kind of body</legend>
            {kinds.map(({ kind, word }) => (
              <label key={kind} className="inline-flex items-center gap-1.5">
                <input
                  type="radio"
                  name="kind"
                  checked={draft.kind === kind}
                  onChange={() => change({ kind })}
                />
                {word}
              </label>
            ))}
          </fieldset>
          {(draft.kind === 'json' || draft.kind === 'xml') && (
            <Button
              look="bare"
              className="h-6"
              disabled={draft.kind === 'json' && jsonFault(draft.body) !== ''}
              onClick={() => change({ body: pretty(draft.body) })}
            >
              Lay out
            </Button>
          )}
        </div>
        {draft.kind === 'fault' && <FaultFields draft={draft} change={change} />}
        {draft.kind === 'contract' && <ContractFields draft={draft} change={change} />}
        {draft.kind !== 'none' && draft.kind !== 'contract' && (
          <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
            <CodeEditor
              label="Body of the answer"
              language={draft.kind === 'fault' ? 'xml' : draft.kind}
              value={draft.body}
              onChange={(body) => change({ body })}
            />
          </Suspense>
        )}
        {faults.body && (
          <p role="alert" className="text-bad text-xs">
            {faults.body}
          </p>
        )}
      </div>
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
