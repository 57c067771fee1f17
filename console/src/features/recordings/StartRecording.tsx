import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
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
  const [hosts, setHosts] = useState('');
  const filter = {
    include: words(include),
    exclude: words(exclude),
    mediaTypes: words(mediaTypes),
    hosts: words(hosts),
  };
  const restrictions = [
    {
      label: 'Only these calls',
      placeholder: 'GET /berths/{number}, /dues',
      hint: 'Paths with or without a method; empty for all',
      value: include,
      set: setInclude,
      width: 'w-56',
    },
    { label: 'Not these', placeholder: '/log/{rest...}', value: exclude, set: setExclude, width: 'w-36' },
    {
      label: 'Only these media types',
      placeholder: 'application/json',
      value: mediaTypes,
      set: setMediaTypes,
      width: 'w-40',
    },
    {
      label: 'Only to these hosts',
      placeholder: 'office.example',
      value: hosts,
      set: setHosts,
      width: 'w-40',
    },
  ];
  const start = useMutation({
    mutationFn: () => startRecording(service, { name: name.trim(), ...filter }),
    onSuccess: async () => {
      onStarted();
      await queries.invalidateQueries({ queryKey: keys.services() });
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
          className="w-52"
        />
        {restrictions.map(({ label, placeholder, hint, value, set, width }) => (
          <Field
            key={label}
            label={label}
            placeholder={placeholder}
            hint={hint}
            value={value}
            onChange={(event) => set(event.target.value)}
            className={`${width} font-mono`}
          />
        ))}
        <Button look="main" type="submit" className="mt-5" disabled={!name.trim() || start.isPending}>
          Start recording
        </Button>
      </div>
      <RecordingTrialView service={service} filter={filter} />
    </form>
  );
}
