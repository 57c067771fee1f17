import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import type { RecordedCall, Recording, RecordingReport } from '@/api/types';
import { clock, count } from '@/lib/format';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { notify, notifyChange } from '@/ui/Notices';
import { MakingFields } from './MakingFields';
import { type Making, makeMappings, recordedCalls } from './queries';
import { RecordingReportView } from './RecordingReportView';

interface Props {
  service: string;
  recording: Recording;
  onReport(report: RecordingReport): void;
}

/** Makes mappings of a recording: of all its calls, or of chosen ones. */
export function ChooseCalls({ service, recording, onReport }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button>Make mappings</Button>
      </DialogTrigger>
      <DialogContent title={`Mappings of “${recording.name}”`} className="w-[min(760px,94vw)]">
        <Choice
          service={service}
          recording={recording}
          onReport={(report) => {
            setOpen(false);
            onReport(report);
          }}
        />
      </DialogContent>
    </Dialog>
  );
}

const lineOf = (call: RecordedCall) => `${call.method} ${call.path}${call.query ? `?${call.query}` : ''}`;

function Choice({ service, recording, onReport }: Props) {
  const queries = useQueryClient();
  const query = useQuery(recordedCalls(service, recording.id));
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [filter, setFilter] = useState('');
  const [how, setHow] = useState<Making>({});
  const shown = (query.data?.items ?? []).filter((call) =>
    lineOf(call).toLowerCase().includes(filter.trim().toLowerCase()),
  );
  const chosen = shown.filter((call) => !left.has(call.id)).map((call) => call.id);
  const preview = useMutation({ mutationFn: () => makeMappings(service, recording.id, true, chosen, how) });
  const make = useMutation({
    mutationFn: () => makeMappings(service, recording.id, false, chosen, how),
    onSuccess: async (report) => {
      notifyChange(
        `${count(report.mappings.length, 'mapping')} of “${recording.name}”, live on the next call`,
      );
      onReport(report);
      await queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(`None was made: ${error.message}`),
  });
  const toggle = (id: string) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
    preview.reset();
  };
  return (
    <Awaited query={query} what="the calls">
      {() => (
        <div className="space-y-3">
          <Field
            label="Only calls with this in them"
            value={filter}
            onChange={(event) => {
              setFilter(event.target.value);
              preview.reset();
            }}
            className="w-72 font-mono"
          />
          <ul className="max-h-[38vh] overflow-y-auto rounded border border-line text-[13px]">
            {shown.map((call) => (
              <li key={call.id} className="border-line border-b last:border-b-0">
                <label className="flex items-center gap-2.5 px-3 py-1">
                  <input type="checkbox" checked={!left.has(call.id)} onChange={() => toggle(call.id)} />
                  <span className="text-dim text-xs tabular-nums">{clock(call.at)}</span>
                  <span className="min-w-0 flex-1 break-all font-mono text-xs">{lineOf(call)}</span>
                  <span className="text-xs tabular-nums">{call.status}</span>
                  {call.truncated && <span className="text-miss text-xs">too large to play back</span>}
                </label>
              </li>
            ))}
            {shown.length === 0 && <li className="px-3 py-2 text-dim">No call has that in it.</li>}
          </ul>
          <MakingFields
            how={how}
            change={(next) => {
              setHow(next);
              preview.reset();
            }}
          />
          {preview.data && <RecordingReportView service={service} report={preview.data} />}
          {preview.error && <p className="text-bad text-xs">{preview.error.message}</p>}
          <div className="flex gap-2">
            <Button
              look="main"
              disabled={chosen.length === 0 || make.isPending}
              onClick={() => make.mutate()}
            >
              Make mappings of {count(chosen.length, 'call')}
            </Button>
            <Button disabled={chosen.length === 0 || preview.isPending} onClick={() => preview.mutate()}>
              Show what would be made
            </Button>
          </div>
        </div>
      )}
    </Awaited>
  );
}
