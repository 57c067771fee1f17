import { useVirtualizer } from '@tanstack/react-virtual';
import { TriangleAlert } from 'lucide-react';
import { memo, useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react';
import { Link } from 'wouter';
import type { Call, Entry } from '@/api/types';
import { whoOf } from '@/features/activity';
import { useLineHeight } from '@/lib/density';
import { clock, duration } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { targetOf } from '@/lib/target';
import { useSmallWindow } from '@/lib/useSmallWindow';
import { cn } from '@/ui/cn';
import { SourceMark } from '@/ui/SourceMark';
import { callNumber } from './callFilter';
import { type ChangeLine, rowAt, rowOf } from './changeLines';

interface Props {
  calls: Call[];
  /** What was changed between them. */
  changes: ChangeLine[];
  /** They can be of several lanes, so that each tells its own. */
  mixed: boolean;
  selected?: string;
  /** With a call open beside it, the table keeps to what tells calls apart. */
  narrow: boolean;
  onSelect(id: string): void;
  /** Told when the list is scrolled away from its newest call, and back. */
  onAway(away: boolean): void;
}

const roomyRow = 30;
/** From so many new calls at once on no row stays in sight. */
const many = 20;

const wide = 'grid-cols-[76px_minmax(0,1fr)_150px_minmax(0,300px)_76px_72px]';
const situated = 'grid-cols-[76px_minmax(0,1fr)_150px_minmax(0,280px)_minmax(0,150px)_76px_72px]';
// on a small window what was asked counts more than when
const tight = 'grid-cols-[minmax(0,1fr)_44px_116px] lg:grid-cols-[76px_minmax(0,1fr)_44px_116px]';
const timeLook = (narrow: boolean) => (narrow ? 'hidden lg:inline' : '');

export function CallTable({ calls, changes, mixed, selected, narrow: beside, onSelect, onAway }: Props) {
  const small = useSmallWindow();
  const narrow = beside || small;
  const box = useRef<HTMLDivElement>(null);
  const rowHeight = useLineHeight(roomyRow);
  const heightOfRow = useCallback(() => rowHeight, [rowHeight]);
  const rows = useVirtualizer({
    count: calls.length + changes.length,
    getScrollElement: () => box.current,
    estimateSize: heightOfRow,
    overscan: 12,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: rows of another height are measured anew
  useLayoutEffect(() => rows.measure(), [rowHeight]);
  const at = selected ? calls.findIndex((call) => call.id === selected) : -1;
  const scrolledTo = useRef('');
  useEffect(() => {
    if (!selected || at < 0 || scrolledTo.current === selected) return;
    scrolledTo.current = selected;
    rows.scrollToIndex(rowOf(changes, at), { align: 'auto' });
  }, [selected, at, rows, changes]);
  const under = !narrow && calls.some(({ lane, scenario }) => scenario || (mixed && lane));
  const quick = useQuick(calls);
  const columns = narrow ? tight : under ? situated : wide;
  return (
    <div
      role="table"
      aria-label="Calls"
      aria-rowcount={calls.length + changes.length}
      className="flex min-h-0 flex-1 flex-col"
    >
      <div role="row" className={cn('grid gap-3 border-line border-b px-5 py-1.5 text-dim text-xs', columns)}>
        <span role="columnheader" className={timeLook(narrow)}>
          Time
        </span>
        <span role="columnheader">Call</span>
        <span role="columnheader">Status</span>
        <span role="columnheader">Answered by</span>
        {under && <span role="columnheader">{mixed ? 'Under' : 'Scenario'}</span>}
        {!narrow && (
          <>
            <span role="columnheader" className="text-right">
              Took
            </span>
            <span role="columnheader" className="text-right">
              Id
            </span>
          </>
        )}
      </div>
      <div
        ref={box}
        className="min-h-0 flex-1 overflow-y-auto"
        onScroll={(event) => onAway(event.currentTarget.scrollTop > rowHeight)}
      >
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((row) => {
            const what = rowAt(changes, row.index);
            const call = 'call' in what ? calls[what.call] : undefined;
            const id = 'entry' in what ? what.entry.id : call?.id;
            return (
              <div
                key={quick ? row.index : id}
                className="absolute inset-x-0"
                style={{ top: row.start, height: rowHeight }}
              >
                {'entry' in what && <ChangeRow entry={what.entry} />}
                {call && (
                  <CallRow
                    call={call}
                    narrow={narrow}
                    under={under}
                    mixed={mixed}
                    columns={columns}
                    selected={call.id === selected}
                    onSelect={onSelect}
                  />
                )}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

/**
 * Whether the list runs so fast that its rows are all others each time: then they are filled anew, which costs half of
 * making them anew.
 */
function useQuick(calls: Call[]): boolean {
  const [seen, setSeen] = useState({ calls, quick: false });
  if (seen.calls === calls) return seen.quick;
  const newest = (list: Call[]) => (list[0] ? callNumber(list[0]) : 0);
  const quick = newest(calls) - newest(seen.calls) > many;
  setSeen({ calls, quick });
  return quick;
}

/** A change between the calls: from here on answers may be others. */
const ChangeRow = memo(function ChangeRow({ entry }: { entry: Entry }) {
  const { name, way } = whoOf(entry);
  const what = `${entry.undoes ? `undid ${entry.undoes}: ` : ''}${entry.lines.join('; ')}`;
  return (
    <div
      role="row"
      data-change={entry.id}
      className="flex h-full items-center gap-3 border-line border-y bg-sunken px-5 text-[13px]"
    >
      <span role="cell" className="w-[76px] shrink-0 text-dim tabular-nums">
        {clock(entry.at)}
      </span>
      <span role="cell" className="min-w-0 flex-1 truncate" title={`${name} ${what} ${way}`}>
        <strong className="font-medium">{name}</strong> {what} <span className="text-dim">{way}</span>
      </span>
      <span role="cell">
        <Link href="/activity" className="font-mono text-accent text-xs underline">
          {entry.id}
        </Link>
      </span>
    </div>
  );
});

interface RowProps {
  call: Call;
  narrow: boolean;
  /** There is a column for lane and scenario. */
  under: boolean;
  mixed: boolean;
  columns: string;
  selected: boolean;
  onSelect(id: string): void;
}

const CallRow = memo(function CallRow({ call, narrow, under, mixed, columns, selected, onSelect }: RowProps) {
  const target = targetOf(call);
  const failed = call.status >= 400;
  return (
    <div
      role="row"
      tabIndex={0}
      aria-selected={selected}
      data-call={call.id}
      onClick={() => onSelect(call.id)}
      onKeyDown={(event) => event.key === 'Enter' && onSelect(call.id)}
      className={cn(
        'grid h-full cursor-pointer items-center gap-3 px-5 text-[13px] hover:bg-sunken',
        columns,
        selected && 'bg-sunken shadow-[inset_3px_0_0_var(--accent)]',
      )}
    >
      <span role="cell" className={cn('text-dim tabular-nums', timeLook(narrow))}>
        {clock(call.at)}
      </span>
      <span role="cell" className="truncate font-mono text-xs" title={`${call.method} ${target}`}>
        <span className="inline-block w-[52px]">{call.method}</span> {target}
      </span>
      <span role="cell" className={cn('truncate', failed && 'font-semibold')}>
        {call.status || ''} {!narrow && <span className="text-dim">{statusText(call.status)}</span>}
      </span>
      <span role="cell" className="flex min-w-0 items-center gap-2">
        <SourceMark source={call.source} className={narrow ? '' : 'w-[98px] shrink-0'} />
        {!narrow && <span className="truncate text-dim">{call.by}</span>}
        {call.impaired && call.source !== 'impairment' && (
          <span className="shrink-0 text-impairment text-xs" title="What impairments did to it">
            {narrow ? <span className="sr-only">{call.impaired.join(', ')}</span> : call.impaired.join(', ')}
          </span>
        )}
        {call.deviations ? <Deviates count={call.deviations} word={!narrow} /> : null}
      </span>
      {under && (
        <span role="cell" className="truncate text-dim" title={underOf(call, mixed)}>
          {underOf(call, mixed)}
        </span>
      )}
      {!narrow && (
        <>
          <span role="cell" className="text-right text-dim tabular-nums">
            {duration(call.tookMs)}
          </span>
          <span role="cell" className="text-right font-mono text-dim text-xs">
            {call.id}
          </span>
        </>
      )}
    </div>
  );
});

/** In which lane, where that can be several, and under which scenario a call was answered. */
function underOf({ lane, scenario }: Call, mixed: boolean): string {
  return [mixed && lane && `lane ${lane}`, scenario].filter(Boolean).join(', ');
}

/** Marks a call that breaks the contract. */
function Deviates({ count, word }: { count: number; word: boolean }) {
  const title = `breaks the contract in ${count} place${count === 1 ? '' : 's'}`;
  return (
    <span className="inline-flex shrink-0 items-center gap-1 font-medium text-miss" title={title}>
      <TriangleAlert size={13} aria-hidden />
      {word ? 'deviates' : <span className="sr-only">deviates</span>}
    </span>
  );
}
