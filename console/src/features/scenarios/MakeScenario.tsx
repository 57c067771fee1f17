import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { wrongIn } from '@/api/http';
import { useMyLane } from '@/api/myLane';
import type { ScenarioProposal } from '@/api/types';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { draftScenario, makeScenarios } from './queries';
import { useSituationRefresh } from './useSwitching';

interface Props {
  /** Ids of calls that it answers as they were answered; without any it keeps what is on. */
  calls?: string[];
  /** Why it cannot be made; '' when it can. */
  hindered?: string;
}

/** Makes a scenario of what is on now, or of calls: looked at first, then kept. */
export function MakeScenario({ calls, hindered }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button disabled={Boolean(hindered)} title={hindered}>
          {calls ? 'Make a scenario of these' : 'Make one of what is on'}
        </Button>
      </DialogTrigger>
      <DialogContent
        title={calls ? `A scenario of ${count(calls.length, 'call')}` : 'A scenario of what is on now'}
        className="w-[min(680px,94vw)]"
      >
        <Making calls={calls} onDone={() => setOpen(false)} />
      </DialogContent>
    </Dialog>
  );
}

function Making({ calls, onDone }: { calls?: string[]; onDone(): void }) {
  const lane = useMyLane();
  const refresh = useSituationRefresh();
  const [, navigate] = useLocation();
  const [name, setName] = useState('');
  const draft = useMutation({ mutationFn: () => draftScenario(name.trim(), lane, calls) });
  const keep = useMutation({
    mutationFn: ({ scenario }: ScenarioProposal) => makeScenarios(JSON.stringify(scenario)),
    onSuccess: async () => {
      notifyChange(`Scenario ${name.trim()} is kept`);
      onDone();
      navigate(`/scenarios?${new URLSearchParams({ scenario: name.trim() })}`); // before one is elsewhere
      await refresh();
    },
  });
  const problem = draft.error ?? keep.error;
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (draft.data) keep.mutate(draft.data);
        else draft.mutate();
      }}
    >
      <p className="text-[13px] text-dim">
        {calls
          ? 'It answers these calls as they were answered, before any mapping of the service.'
          : `It keeps the impairments that are on, chosen examples, services that relay and mappings that are off${lane ? `, as lane ${lane} has them` : ''}, and builds on the scenario that is on.`}
      </p>
      <Field
        label="Name"
        value={name}
        maxLength={63}
        placeholder="no-free-berth"
        onChange={(event) => {
          setName(event.target.value);
          draft.reset();
          keep.reset();
        }}
        className="w-72"
      />
      {problem && <ProblemNotice message={`Nothing was kept: ${wrongIn(problem)}.`} />}
      {draft.data && (
        <div className="max-h-72 overflow-auto rounded border border-line px-3 py-2 text-[13px]">
          {draft.data.scenario.buildsOn && (
            <p>
              builds on <strong>{draft.data.scenario.buildsOn}</strong>
            </p>
          )}
          <ul>
            {draft.data.lines.map((line) => (
              <li key={line} className="break-words">
                {line}
              </li>
            ))}
          </ul>
          {draft.data.skipped?.map(({ call, reason }) => (
            <p key={call} className="text-dim">
              {call} is left out: {reason}
            </p>
          ))}
        </div>
      )}
      <Button look="main" type="submit" disabled={!name.trim() || draft.isPending || keep.isPending}>
        {draft.data ? 'Keep it' : 'Show what it would be'}
      </Button>
    </form>
  );
}
