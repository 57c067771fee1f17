import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { notify } from '@/ui/Notices';
import { startRecording } from './queries';
import { RecordingTrialView } from './RecordingTrialView';

const words = (text: string) =>
  text
    .split(',')
    .map((word) => word.trim())
    .filter(Boolean);

/** Names a recording and starts it. */
export function StartRecording({ service, onStarted }: { service: string; onStarted(): void }) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [include, setInclude] = useState('');
  const [exclude, setExclude] = useState('');
  const [mediaTypes, setMediaTypes] = useState('');
  const filter = { include: words(include), exclude: words(exclude), mediaTypes: words(mediaTypes) };
  const start = useMutation({
    mutationFn: () => startRecording(service, { name: name.trim(), ...filter }),
    onSuccess: async () => {
      onStarted();
      await queries.invalidateQueries({ queryKey: ['services'] });
    },
    onError: (error) => notify(`Nothing is recorded: ${error.message}`),
  });
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) start.mutate();
      }}
    >
      <div className="flex flex-wrap items-start gap-3">
        <Field
          label="Name of the recording"
          placeholder="booking a berth"
          hint="While it runs the service relays to its upstream"
          value={name}
          onChange={(event) => setName(event.target.value)}
          className="w-64"
        />
        <Field
          label="Only these calls"
          placeholder="GET /berths/{number}, /dues"
          hint="Paths with or without a method; empty for all"
          value={include}
          onChange={(event) => setInclude(event.target.value)}
          className="w-64 font-mono"
        />
        <Field
          label="Not these"
          placeholder="/log/{rest...}"
          value={exclude}
          onChange={(event) => setExclude(event.target.value)}
          className="w-44 font-mono"
        />
        <Field
          label="Only these media types"
          placeholder="application/json"
          value={mediaTypes}
          onChange={(event) => setMediaTypes(event.target.value)}
          className="w-44 font-mono"
        />
        <Button look="main" type="submit" className="mt-5" disabled={!name.trim() || start.isPending}>
          Start recording
        </Button>
      </div>
      <RecordingTrialView service={service} filter={filter} />
    </form>
  );
}
