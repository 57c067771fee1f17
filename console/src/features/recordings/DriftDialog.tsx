import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Recording } from '@/api/types';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { DriftView } from './DriftView';
import { compareRecordings, recordingList, replayRecording } from './queries';

/** Whether a recording is still true: asks the real service again, or compares another one. */
export function DriftDialog({ service, recording }: { service: string; recording: Recording }) {
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button look="bare">Still true?</Button>
      </DialogTrigger>
      <DialogContent title={`Is “${recording.name}” still true?`} className="w-[min(760px,94vw)]">
        <Drift service={service} recording={recording} />
      </DialogContent>
    </Dialog>
  );
}

const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);

function Drift({ service, recording }: { service: string; recording: Recording }) {
  const { data } = useQuery(recordingList(service));
  const others = (data?.items ?? []).filter(({ id, running }) => id !== recording.id && !running);
  const [other, setOther] = useState('');
  const [against, setAgainst] = useState(recording.upstream ?? '');
  const [authorization, setAuthorization] = useState('');
  const [ignored, setIgnored] = useState('');
  const [values, setValues] = useState(false);
  const [writes, setWrites] = useState(false);
  const how = { values, ignore: words(ignored) };
  const check = useMutation({
    mutationFn: () =>
      other
        ? compareRecordings(service, recording.id, other, how)
        : replayRecording(service, recording.id, {
            ...how,
            against: against.trim(),
            writes,
            headers: authorization.trim() ? [['Authorization', authorization.trim()]] : [],
          }),
  });
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        check.mutate();
      }}
    >
      <Select
        label="Compare with"
        value={other}
        options={[
          ['', 'what the real service answers now'],
          ...others.map(({ id, name }): [string, string] => [id, `the recording “${name}”`]),
        ]}
        onChange={setOther}
      />
      {!other && (
        <div className="flex flex-wrap items-start gap-4">
          <Field
            label="Address of the real service"
            value={against}
            onChange={(event) => setAgainst(event.target.value)}
            className="w-72 font-mono"
          />
          <Field
            label="Authorization"
            type="password"
            autoComplete="off"
            placeholder="Bearer …"
            hint="Sent instead of the recorded one, and not kept"
            value={authorization}
            onChange={(event) => setAuthorization(event.target.value)}
            className="w-56 font-mono"
          />
        </div>
      )}
      <Field
        label="What does not count"
        placeholder="$.updated, cache-control"
        value={ignored}
        onChange={(event) => setIgnored(event.target.value)}
        className="w-72 font-mono"
      />
      <div className="flex flex-wrap gap-5 text-[13px]">
        <label className="inline-flex items-center gap-1.5">
          <input type="checkbox" checked={values} onChange={(event) => setValues(event.target.checked)} />
          Compare values, too
        </label>
        {!other && (
          <label className="inline-flex items-center gap-1.5">
            <input type="checkbox" checked={writes} onChange={(event) => setWrites(event.target.checked)} />
            Send also what may change something there
          </label>
        )}
      </div>
      <Button look="main" type="submit" disabled={check.isPending || (!other && !against.trim())}>
        {check.isPending ? 'Asking …' : other ? 'Compare' : 'Ask again'}
      </Button>
      {check.error && (
        <p role="alert" className="text-bad text-xs">
          {check.error.message}
        </p>
      )}
      {check.data && <DriftView report={check.data} />}
    </form>
  );
}
