import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation } from 'wouter';
import { keys } from '@/api/keys';
import type { Walk } from '@/api/types';
import { useTitle } from '@/lib/title';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { cn } from '@/ui/cn';
import { Field } from '@/ui/Field';
import { notify } from '@/ui/Notices';
import { bodyCell, headCell } from '@/ui/tableLook';
import { endWalk, goInWalk, noteInWalk, removeWalk, walkNamed } from './queries';
import { tally } from './tally';
import { useWalkKeys } from './useWalkKeys';

/** A walk through boundary values: which one answers now, and what was said of each. */
export function WalkPage({ name }: { name: string }) {
  const query = useQuery(walkNamed(name));
  useTitle(name, 'walk');
  return (
    <div className="h-full overflow-y-auto">
      <Awaited query={query} what="the walk">
        {(walk) => <WalkView walk={walk} />}
      </Awaited>
    </div>
  );
}

function WalkView({ walk }: { walk: Walk }) {
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const [text, setText] = useState('');
  const { name, position, steps } = walk;
  const change = useMutation({
    mutationFn: (make: () => Promise<Walk>) => make(),
    onSuccess: (changed) => {
      queries.setQueryData(keys.walk(name), changed);
      void queries.invalidateQueries({ queryKey: keys.walks(), exact: true });
    },
    onError: (error) => notify(`Nothing was changed: ${error.message}`),
  });
  const remove = useMutation({
    mutationFn: () => removeWalk(name),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.walks() });
      navigate('/scenarios');
    },
    onError: (error) => notify(`Nothing was removed: ${error.message}`),
  });
  const going = !walk.ended;
  const go = (to: number) => {
    if (going && to >= 0 && to <= steps.length) change.mutate(() => goInWalk(name, to));
  };
  const say = (verdict: string) => {
    if (!going || position === 0) return;
    change.mutate(() => noteInWalk(name, position, verdict, text));
    setText('');
  };
  useWalkKeys({ next: () => go(position + 1), back: () => go(position - 1), say });
  const now = steps[position - 1];
  return (
    <>
      <header className="space-y-3 border-line border-b px-5 py-4">
        <div className="flex flex-wrap items-baseline justify-between gap-3">
          <h1 className="font-semibold text-lg">
            Boundary values <span className="font-normal text-dim">{walk.at.join(', ')}</span>
          </h1>
          <p className="text-[13px] text-dim" data-tally>
            {tally(walk)}
          </p>
        </div>
        <p className="text-[13px] text-dim">
          Of {walk.mapping ? 'mapping' : 'operation'} {walk.mapping ?? walk.operation} of{' '}
          <Link href={`/services/${encodeURIComponent(walk.service)}`} className="text-accent underline">
            {walk.service}
          </Link>
          {walk.lane ? `, in lane ${walk.lane}` : ', for everybody'}
        </p>
        {walk.off && (
          <p className="font-medium text-[13px] text-miss" role="status">
            Another scenario is on, so the walk does not answer. Switch walk-{name} on again under Scenarios.
          </p>
        )}
        {going ? (
          <>
            <p className="text-base" data-position={position}>
              {now ? (
                <>
                  <span className="tabular-nums text-dim">
                    {position} of {steps.length}
                  </span>{' '}
                  <strong className="font-medium">{now.says}</strong>{' '}
                  <code className="break-all text-[13px]">{now.shown}</code>{' '}
                  <span className={now.validity === 'invalid' ? 'text-miss' : 'text-dim'}>
                    {now.validity}
                  </span>
                </>
              ) : (
                'The answer is as it is.'
              )}
            </p>
            <div className="flex flex-wrap items-end gap-2">
              <Button disabled={position === 0} onClick={() => go(position - 1)}>
                Back (p)
              </Button>
              <Button look="main" disabled={position === steps.length} onClick={() => go(position + 1)}>
                Next (n)
              </Button>
              <Field
                label="What you saw"
                value={text}
                className="w-72"
                onChange={(event) => setText(event.target.value)}
              />
              <Button disabled={!now} onClick={() => say('fine')}>
                Fine (f)
              </Button>
              <Button disabled={!now} onClick={() => say('defect')}>
                Defect (d)
              </Button>
              <Button disabled={!now} onClick={() => say('note')}>
                Note
              </Button>
              <Button disabled={position === 0} onClick={() => go(0)}>
                The original
              </Button>
              <Button onClick={() => change.mutate(() => endWalk(name))}>End the walk</Button>
            </div>
          </>
        ) : (
          <div className="flex flex-wrap items-center gap-3 text-[13px]">
            <span>It has ended: the answer is as it was.</span>
            <Button look="danger" onClick={() => remove.mutate()}>
              Remove the walk
            </Button>
          </div>
        )}
        <p className="flex flex-wrap gap-x-4 text-[13px]">
          {['markdown', 'html', 'junit'].map((format) => (
            <a
              key={format}
              className="text-accent underline"
              href={`/api/v1/walks/${encodeURIComponent(name)}/report?format=${format}`}
            >
              Report as {format === 'junit' ? 'JUnit XML' : format === 'html' ? 'a page' : 'Markdown'}
            </a>
          ))}
        </p>
        <CommandLine command="rapidmimic walk next" />
      </header>
      <table aria-label="Values that were tried" className="w-full table-fixed text-[13px]">
        <thead>
          <tr>
            {(['#', 'Is', 'Value', 'Contract', 'Verdict', 'Calls'] as const).map((title) => (
              <th key={title} scope="col" className={cn(headCell, widths[title])}>
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {steps.map((step, i) => (
            <tr
              key={step.id}
              data-step={step.id}
              aria-current={i + 1 === position ? 'step' : undefined}
              className={cn('border-line border-t', i + 1 === position && 'bg-panel font-medium')}
            >
              <td className={`${bodyCell} py-1 tabular-nums`}>
                {going ? (
                  <Button
                    look="bare"
                    className="h-6 px-1"
                    aria-label={`Go to ${step.id}`}
                    onClick={() => go(i + 1)}
                  >
                    {i + 1}
                  </Button>
                ) : (
                  i + 1
                )}
              </td>
              <td className={`${bodyCell} truncate py-1`} title={step.says}>
                {step.says}
              </td>
              <td className={`${bodyCell} truncate py-1 font-mono text-xs`}>{step.shown}</td>
              <td
                className={cn(
                  bodyCell,
                  'truncate py-1',
                  step.validity === 'invalid' ? 'text-miss' : 'text-dim',
                )}
                title={step.breach}
              >
                {step.validity}
              </td>
              <td className={`${bodyCell} truncate py-1`} title={step.text}>
                <span className={step.verdict === 'defect' ? 'font-medium text-bad' : undefined}>
                  {step.verdict}
                </span>{' '}
                {step.text}
              </td>
              <td className={`${bodyCell} py-1 tabular-nums`}>{step.calls?.length ?? 0}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

const widths = { '#': 'w-16', Is: 'w-64', Value: '', Contract: 'w-24', Verdict: 'w-64', Calls: 'w-20' };
