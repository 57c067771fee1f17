import { Link } from 'wouter';
import type { ActiveScenario, Scenario } from '@/api/types';
import { clock, count, total } from '@/lib/format';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';

interface Props {
  scenario: Scenario;
  /** The lane that switching is for; '' for calls in none. */
  lane: string;
  selected: boolean;
  busy: boolean;
  onUse(): void;
  onOff(): void;
  onOpen(): void;
}

/** One scenario of the list: what it changes, where it is on, and its switch. */
export function ScenarioRow({ scenario, lane, selected, busy, onUse, onOff, onOpen }: Props) {
  const here = scenario.on.find((on) => (on.lane ?? '') === lane);
  const elsewhere = scenario.on.filter((on) => on !== here);
  return (
    <li
      data-scenario={scenario.name}
      className={cn(
        'flex items-start gap-4 border-line border-b bg-panel px-5 py-2.5',
        selected && 'bg-sunken shadow-[inset_3px_0_0_var(--accent)]',
      )}
    >
      <div className="min-w-0 flex-1 text-[13px]">
        <p className="flex flex-wrap items-baseline gap-x-3">
          <button type="button" className="font-medium text-accent hover:underline" onClick={onOpen}>
            {scenario.name}
          </button>
          <span>{scenario.title}</span>
          {here && (
            <span className="font-medium text-good" role="status">
              on {scope(here)}
            </span>
          )}
          {elsewhere.length > 0 && (
            <span className="text-dim">
              {here ? 'also ' : ''}on {elsewhere.map(scope).join(', ')}
            </span>
          )}
          {total(scenario.calls) > 0 && (
            <Link
              href={`/calls?${new URLSearchParams({ lane: 'all', text: `scenario:${scenario.name}` })}`}
              className="text-accent hover:underline"
            >
              {count(total(scenario.calls), 'call')}
            </Link>
          )}
          {scenario.faults && <span className="font-medium text-miss">parts of it have no effect</span>}
        </p>
        <ul className="text-dim">
          {scenario.buildsOn && <li>all that {scenario.buildsOn} does</li>}
          {scenario.lines.slice(0, mostLines).map((line) => (
            <li key={line} className="break-words">
              {line}
            </li>
          ))}
          {scenario.lines.length > mostLines && <li>and {scenario.lines.length - mostLines} more</li>}
        </ul>
      </div>
      <Button look="bare" aria-label={`Edit ${scenario.name}`} onClick={onOpen}>
        Edit
      </Button>
      {here ? (
        <Button aria-label={`Switch off ${scenario.name}`} disabled={busy} onClick={onOff}>
          Switch off
        </Button>
      ) : (
        <Button look="main" aria-label={`Use ${scenario.name}`} disabled={busy} onClick={onUse}>
          Use
        </Button>
      )}
    </li>
  );
}

const mostLines = 4;

function scope({ lane, until, by }: ActiveScenario): string {
  const where = lane ? `in lane ${lane}` : 'for calls in no lane';
  return `${where}${until ? ` until ${clock(until)}` : ''}${by ? `, by ${by}` : ''}`;
}
