import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { Problem } from '@/api/http';
import { keys } from '@/api/keys';
import type { ImportReport } from '@/api/types';
import { useSettled } from '@/lib/useSettled';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Select } from '@/ui/Select';
import { TextArea } from '@/ui/TextArea';
import { FirstCall } from './FirstCall';
import { ImportReportView } from './ImportReportView';
import { type ContractSource, importContract, importPreview, serviceList } from './queries';

interface Props {
  /** What is imported; empty to ask for it. */
  source: ContractSource;
  /** The service that gets a revision; none to make a new one, or to choose. */
  into?: string;
  onClose(): void;
}

/** Imports a contract: shows what would be made of it, and waits for a yes. */
export function ImportDialog({ source, into, onClose }: Props) {
  const [from, setFrom] = useState(source);
  const asked = Object.keys(from).length > 0;
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()}>
      <DialogContent
        title={into ? `A new revision of the contract of ${into}` : 'Import a contract'}
        className="w-[min(720px,94vw)]"
      >
        {asked ? (
          <Preview
            source={from}
            into={into}
            onClose={onClose}
            onBack={source.revision ? undefined : () => setFrom({})}
          />
        ) : (
          <AskForSource onSource={setFrom} />
        )}
      </DialogContent>
    </Dialog>
  );
}

/** A file, a text, or an address. */
function AskForSource({ onSource }: { onSource(source: ContractSource): void }) {
  const [text, setText] = useState('');
  const [address, setAddress] = useState('');
  return (
    <div className="space-y-5">
      <p className="text-[13px] text-dim">
        OpenAPI 3.0 to 3.2, Swagger 2.0 or WSDL 1.1, in one file or as a zip archive of several. What would be
        made of it is shown first.
      </p>
      <label className="flex flex-col gap-1">
        <span className="font-medium text-dim text-xs">A file</span>
        <input
          type="file"
          accept=".yaml,.yml,.json,.wsdl,.xml,.zip"
          aria-label="Contract file"
          onChange={({ target: { files } }) => files?.[0] && onSource({ file: files[0] })}
          className="text-[13px]"
        />
      </label>
      <form
        className="space-y-2"
        onSubmit={(event) => {
          event.preventDefault();
          onSource({ text });
        }}
      >
        <TextArea
          label="or its text"
          value={text}
          rows={6}
          onChange={setText}
          placeholder="openapi: 3.1.0 …"
        />
        <Button type="submit" disabled={text.trim() === ''}>
          Look at the text
        </Button>
      </form>
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          onSource({ from: address.trim() });
        }}
      >
        <div className="flex-1">
          <Field
            label="or the address that it is at"
            value={address}
            placeholder="https://office.skerry-sound.example/openapi.yaml"
            onChange={(event) => setAddress(event.target.value)}
            className="w-full font-mono text-xs"
          />
        </div>
        <Button type="submit" disabled={address.trim() === ''}>
          Get it
        </Button>
      </form>
    </div>
  );
}

interface PreviewProps extends Props {
  /** Asks for another source. */
  onBack?: () => void;
}

function Preview({ source, into: fixed, onClose, onBack }: PreviewProps) {
  const queries = useQueryClient();
  const services = useQuery({ ...serviceList(), refetchInterval: false });
  const [name, setName] = useState('');
  const [answers, setAnswers] = useState('');
  const [into, setInto] = useState(fixed ?? '');
  const choice = { ...(into ? { into } : { name }), answers };
  const settled = useSettled(choice, 300);
  const wanted = { ...source, ...settled };
  const current = JSON.stringify(settled) === JSON.stringify(choice);
  const preview = useQuery(importPreview(wanted));
  const apply = useMutation({
    mutationFn: () => importContract(wanted), // and nothing that was not looked at
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.services() }),
  });
  const change = (set: (value: string) => void) => (value: string) => {
    apply.reset(); // what was wrong with another choice
    set(value);
  };
  if (apply.data) return <Made report={apply.data} onClose={onClose} />;
  const problem = apply.error ?? preview.error;
  const report = problem ? undefined : preview.data;
  const taken = problem instanceof Problem && problem.code === 'exists' ? problem.hint?.service : undefined;
  const others = services.data?.items.map((one) => one.name) ?? [];
  const word = into
    ? `Put revision ${report?.contract.revision ?? ''} in force`
    : `Make service ${report?.service ?? ''}`;
  return (
    <div className="space-y-4">
      {!fixed && (
        <div className="flex flex-wrap items-start gap-3">
          <Select
            label="Becomes"
            value={into}
            onChange={change(setInto)}
            options={[
              ['', 'a new service'],
              ...others.map((one): [string, string] => [one, `a revision of ${one}`]),
            ]}
          />
          {!into && (
            <Field
              label="Name of the service"
              hint="Stands in its address"
              value={name}
              placeholder={preview.data?.service}
              fault={
                taken
                  ? `There is a service ${taken}: name this one otherwise, or choose its revision`
                  : undefined
              }
              onChange={(event) => change(setName)(event.target.value)}
            />
          )}
        </div>
      )}
      {problem && !taken && (
        <>
          <ProblemNotice
            message={`${nameOf(source)}: ${problem.message}. Nothing was changed.`}
            places={problem instanceof Problem ? problem.faults : []}
          />
          {(answers || /sample/.test(JSON.stringify(problem instanceof Problem ? problem.faults : ''))) && (
            <Field
              label="It is a sample of an answer, or its JSON Schema: the call that it answers"
              placeholder="GET /berths/{number}"
              value={answers}
              onChange={(event) => change(setAnswers)(event.target.value)}
              className="font-mono text-xs"
            />
          )}
        </>
      )}
      {preview.isPending && !problem && <p className="text-[13px] text-dim">Reading the contract …</p>}
      {report && <ImportReportView report={report} />}
      <div className="flex flex-wrap gap-2">
        <Button
          look="main"
          disabled={!report || !current || preview.isFetching || apply.isPending}
          onClick={() => apply.mutate()}
        >
          {apply.isPending ? 'Importing …' : word}
        </Button>
        {onBack && <Button onClick={onBack}>Another contract</Button>}
        <Button look="bare" onClick={onClose}>
          Leave it as it is
        </Button>
      </div>
    </div>
  );
}

function nameOf({ file, from, revision }: ContractSource): string {
  return file?.name ?? from ?? (revision ? `revision ${revision}` : 'The text');
}

/** What came of it, and the next step. */
function Made({ report, onClose }: { report: ImportReport; onClose(): void }) {
  return (
    <div className="space-y-4" role="status">
      <ImportReportView report={report} />
      <FirstCall service={report.service} curl={report.try.curl} onOpen={onClose} />
      <div className="flex gap-2">
        <Link
          href={`/services/${encodeURIComponent(report.service)}`}
          onClick={onClose}
          className="inline-flex h-8 items-center rounded border border-accent bg-accent px-2.5 font-medium text-[13px] text-accent-ink hover:opacity-90"
        >
          Open {report.service}
        </Link>
        <Button onClick={onClose}>Stay here</Button>
      </div>
    </div>
  );
}
