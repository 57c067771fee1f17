import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import { WalkList } from '@/features/walks';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Select } from '@/ui/Select';
import { MakeScenario } from './MakeScenario';
import { scenarioList } from './queries';
import { ScenarioEditor } from './ScenarioEditor';
import { ScenarioRow } from './ScenarioRow';
import { useSwitching } from './useSwitching';

/** All situations, each switched on and off as one, for everybody or for a lane. */
export function ScenariosPage() {
  const [params, setParams] = useSearchParams();
  const selected = params.get('scenario') ?? undefined;
  const query = useQuery(scenarioList());
  const { data: status } = useStatus();
  const mine = useMyLane();
  const [chosen, setChosen] = useState<string>();
  const [lasts, setLasts] = useState('');
  const { flip, reset } = useSwitching();
  const open = status?.lanes ?? [];
  const lane = chosen ?? (open.includes(mine) ? mine : '');
  const select = (name: string | undefined) =>
    setParams(name === undefined ? {} : { scenario: name }, { replace: true });
  const at = lane ? ` --lane ${word(lane)}` : '';
  return (
    <div
      className={`grid h-full min-h-0 ${selected === undefined ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_minmax(0,1fr)]'}`}
    >
      <div className="min-h-0 overflow-y-auto">
        <div className="space-y-3 px-5 pt-4 pb-3">
          <div className="flex flex-wrap items-center justify-between gap-2">
            <h1 className="font-semibold text-lg">Scenarios</h1>
            <div className="flex flex-wrap gap-2">
              <MakeScenario />
              <Button onClick={() => select('')}>New scenario</Button>
            </div>
          </div>
          <p className="text-[13px] text-dim">
            A scenario is a situation: it changes what services answer, and everything is as before when it is
            switched off. One at a time is on, for each lane and for the calls in none.
          </p>
          <div className="flex flex-wrap items-end gap-3">
            <Select
              label="Switch for"
              value={lane}
              onChange={setChosen}
              options={[
                ['', 'everybody in no lane'],
                ...open.map((name): [string, string] => [name, laneText(name, mine)]),
              ]}
            />
            <Select
              label="How long"
              value={lasts}
              onChange={setLasts}
              options={[
                ['', 'until it is switched off'],
                ['10m', '10 minutes'],
                ['1h', '1 hour'],
                ['8h', '8 hours'],
              ]}
            />
            <Button disabled={reset.isPending} onClick={() => reset.mutate(lane)}>
              Reset counters
            </Button>
          </div>
          <CommandLine
            command={`rapidmimic scenario use ${word(selected || 'NAME')}${at}${lasts ? ` --for ${word(lasts)}` : ''}`}
          />
        </div>
        <Awaited query={query} what="the scenarios">
          {({ items }) =>
            items.length === 0 ? (
              <p className="px-5 text-dim">
                There is none yet. Make one of what is on now, of calls in the log, or write a new one.
              </p>
            ) : (
              <ul className="border-line border-t">
                {items.map((scenario) => (
                  <ScenarioRow
                    key={scenario.name}
                    scenario={scenario}
                    lane={lane}
                    selected={scenario.name === selected}
                    busy={flip.isPending}
                    onUse={() => flip.mutate({ scenario: scenario.name, lane, lasts })}
                    onOff={() => flip.mutate({ scenario: '', lane })}
                    onOpen={() => select(scenario.name)}
                  />
                ))}
              </ul>
            )
          }
        </Awaited>
        <WalkList />
      </div>
      {selected !== undefined && (
        <ScenarioEditor
          key={selected}
          name={selected}
          scenario={query.data?.items.find(({ name }) => name === selected)}
          onClose={() => select(undefined)}
          onOpen={select}
        />
      )}
    </div>
  );
}

const laneText = (name: string, mine: string) => (name === mine ? `my lane, ${name}` : `lane ${name}`);
