import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { notify } from '@/ui/Notices';
import { startRecording } from './queries';

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
  const start = useMutation({
    mutationFn: () => startRecording(service, { name: name.trim(), include: words(include) }),
    onSuccess: async () => {
      onStarted();
      await queries.invalidateQueries({ queryKey: ['services'] });
    },
    onError: (error) => notify(`Nothing is recorded: ${error.message}`),
  });
  return (
    <form
      className="flex flex-wrap items-start gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) start.mutate();
      }}
    >
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
        className="w-72 font-mono"
      />
      <Button look="main" type="submit" className="mt-5" disabled={!name.trim() || start.isPending}>
        Start recording
      </Button>
    </form>
  );
}
