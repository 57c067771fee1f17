import { useMutation, useQueryClient } from '@tanstack/react-query';
import { download } from '@/api/http';
import { keys } from '@/api/keys';
import type { Recording, RecordingReport } from '@/api/types';
import { count, moment } from '@/lib/format';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { ChooseCalls } from './ChooseCalls';
import { DriftDialog } from './DriftDialog';
import { LatencyTable } from './LatencyTable';
import { harAddress, removeRecording } from './queries';

interface Props {
  service: string;
  recording: Recording;
  onReport(report: RecordingReport): void;
}

/** A recording that was kept, and what can be done with it. */
export function RecordingRow({ service, recording, onReport }: Props) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => removeRecording(service, recording.id),
    onSuccess: () => {
      notifyChange(`“${recording.name}” was removed; its mappings stay`);
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(error.message),
  });
  return (
    <li
      className="flex flex-wrap items-center justify-between gap-3 border-line border-b bg-panel px-5 py-1.5"
      data-recording={recording.id}
    >
      <span className="min-w-0">
        <span className="font-medium">{recording.name}</span>{' '}
        <span className="text-dim text-xs">
          {count(recording.calls, 'call')}, {moment(recording.started)}
          {recording.by && `, by ${recording.by}`}
          {recording.ended && `; it ended by itself: ${recording.ended}`}
        </span>
        <LatencyTable service={service} recording={recording.id} />
      </span>
      <span className="flex items-center gap-2">
        <ChooseCalls service={service} recording={recording} onReport={onReport} />
        <DriftDialog service={service} recording={recording} />
        <Button
          look="bare"
          className="px-1.5 text-accent"
          onClick={() => download(harAddress(service, recording.id), `${recording.id}.har`)}
        >
          HAR
        </Button>
        <Button look="bare" disabled={remove.isPending} onClick={() => remove.mutate()}>
          Remove
        </Button>
      </span>
    </li>
  );
}
