import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { myLane } from '@/api/myLane';
import { scenarioList, useSituationRefresh } from '@/features/scenarios';
import { word } from '@/lib/shell';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field } from '@/ui/Field';
import { notifyChange } from '@/ui/Notices';
import { Select } from '@/ui/Select';
import { openLane } from './queries';

/** Opens a lane, and makes it the lane of whoever sits here. */
export function OpenLane() {
  const refresh = useSituationRefresh();
  const scenarios = useQuery(scenarioList());
  const [name, setName] = useState('');
  const [scenario, setScenario] = useState('');
  const [ttl, setTTL] = useState('1h');
  const open = useMutation({
    mutationFn: () => openLane({ name: name.trim(), ttl, ...(scenario ? { scenario } : {}) }),
    onSuccess: async (lane) => {
      notifyChange(`Lane ${lane.name} is open, and yours`);
      myLane.set(lane.name);
      setName('');
      await refresh();
    },
  });
  const command = `rapidmimic lane open ${word(name.trim() || 'NAME')}${scenario ? ` --scenario ${word(scenario)}` : ''} --ttl ${word(ttl)}`;
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        open.mutate();
      }}
    >
      <div className="flex flex-wrap items-start gap-3">
        <Field
          label="Name"
          value={name}
          placeholder="mara"
          maxLength={63}
          fault={open.error ? wrongIn(open.error) : undefined}
          onChange={(event) => {
            setName(event.target.value);
            open.reset();
          }}
          className="w-52"
        />
        <Select
          label="Scenario"
          value={scenario}
          onChange={setScenario}
          options={[
            ['', 'none'],
            ...(scenarios.data?.items ?? []).map((s): [string, string] => [s.name, s.name]),
          ]}
        />
        <Select
          label="Closes itself after"
          value={ttl}
          onChange={setTTL}
          options={[
            ['30m', '30 minutes'],
            ['1h', '1 hour'],
            ['8h', '8 hours'],
            ['120h', '5 days'],
          ]}
        />
        <Button look="main" type="submit" className="mt-5" disabled={!name.trim() || open.isPending}>
          Open a lane
        </Button>
      </div>
      <CommandLine command={command} />
    </form>
  );
}
