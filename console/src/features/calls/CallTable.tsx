import { useVirtualizer } from '@tanstack/react-virtual';
import { TriangleAlert } from 'lucide-react';
import { memo, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import type { Call, Entry } from '@/api/types';
import { whoOf } from '@/features/activity';
import { useLineHeight } from '@/lib/density';
import { clock } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { targetOf } from '@/lib/target';
import { useSmallWindow } from '@/lib/useSmallWindow';
import { cn } from '@/ui/cn';
import { SourceMark } from '@/ui/SourceMark';
import {
  anyUnder,
  type Column,
  type ColumnId,
  chosenColumns,
  columns,
  readColumns,
  shownColumns,
  textOf,
} from './callColumns';
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

// on a small window what was asked counts more than when
const tight = 'grid-cols-[minmax(0,1fr)_44px_116px] lg:grid-cols-[76px_minmax(0,1fr)_44px_116px]';
const tightColumns: Column[] = columns.filter(({ id }) => ['time', 'call', 'status', 'by'].includes(id));
const tracksOf = (shown: Column[]) => shown.map(({ track }) => track).join(' ');
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
  const under = useMemo(() => anyUnder(calls, mixed), [calls, mixed]);
  const chosen = useSyncExternalStore(chosenColumns.subscribe, chosenColumns.get);
  const shown = useMemo(
    () => (narrow ? tightColumns : shownColumns(readColumns(chosen), under)),
    [narrow, chosen, under],
  );
  const quick = useQuick(calls);
  const inSight = rows.getVirtualItems();
  return (
    <div
      role="table"
      aria-label="Calls"
      aria-rowcount={calls.length + changes.length}
      className="flex min-h-0 flex-1 flex-col"
    >
      <div
        role="row"
        className={cn('grid gap-3 border-line border-b px-5 py-1.5 text-dim text-xs', narrow && tight)}
        style={narrow ? undefined : { gridTemplateColumns: tracksOf(shown) }}
      >
        {shown.map(({ id, title, right }) => (
          <span
            key={id}
            role="columnheader"
            className={cn('truncate', right && 'text-right', id === 'time' && timeLook(narrow))}
          >
            {id === 'under' && !mixed ? 'Scenario' : title}
          </span>
        ))}
      </div>
      <div
        ref={box}
        className="min-h-0 flex-1 overflow-y-auto"
        onScroll={(event) => onAway(event.currentTarget.scrollTop > rowHeight)}
      >
        {/* rows that follow one another are painted as one, and rows that are placed each for itself */}
        <div style={{ height: rows.getTotalSize(), paddingTop: inSight[0]?.start }}>
          {inSight.map((row) => {
            const what = rowAt(changes, row.index);
            const call = 'call' in what ? calls[what.call] : undefined;
            const id = 'entry' in what ? what.entry.id : call?.id;
            return (
              <div key={quick ? row.index : id} style={{ height: rowHeight }}>
                {'entry' in what && <ChangeRow entry={what.entry} />}
                {call && (
                  <CallRow
                    call={call}
                    narrow={narrow}
                    mixed={mixed}
                    columns={shown}
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
  const seen = useRef({ calls, quick: false });
  const newest = (list: Call[]) => (list[0] ? callNumber(list[0]) : 0);
  const quick =
    seen.current.calls === calls ? seen.current.quick : newest(calls) - newest(seen.current.calls) > many;
  useLayoutEffect(() => {
    seen.current = { calls, quick };
  });
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
  mixed: boolean;
  columns: Column[];
  selected: boolean;
  onSelect(id: string): void;
}

const CallRow = memo(function CallRow({ call, narrow, mixed, columns, selected, onSelect }: RowProps) {
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
        narrow && tight,
        selected && 'bg-sunken shadow-[inset_3px_0_0_var(--accent)]',
      )}
      style={narrow ? undefined : { gridTemplateColumns: tracksOf(columns) }}
    >
      {columns.map(({ id, right }) => (
        <Cell key={id} id={id} right={right} call={call} narrow={narrow} mixed={mixed} />
      ))}
    </div>
  );
});

interface CellProps {
  id: ColumnId;
  right?: boolean;
  call: Call;
  narrow: boolean;
  mixed: boolean;
}

function Cell({ id, right, call, narrow, mixed }: CellProps) {
  switch (id) {
    case 'time':
      return (
        <span role="cell" className={cn('text-dim tabular-nums', timeLook(narrow))}>
          {clock(call.at)}
        </span>
      );
    case 'call': {
      const target = targetOf(call);
      return (
        <span role="cell" className="truncate font-mono text-xs" title={`${call.method} ${target}`}>
          <span className="inline-block w-[52px]">{call.method}</span> {target}
        </span>
      );
    }
    case 'status':
      return (
        <span role="cell" className={cn('truncate', call.status >= 400 && 'font-semibold')}>
          {call.status || ''} {!narrow && <span className="text-dim">{statusText(call.status)}</span>}
        </span>
      );
    case 'by':
      return <AnsweredBy call={call} narrow={narrow} />;
    default: {
      const text = textOf(id, call, mixed);
      const mono = id === 'id' || id === 'trace';
      return (
        <span
          role="cell"
          className={cn('truncate text-dim tabular-nums', mono && 'font-mono text-xs', right && 'text-right')}
          title={text}
        >
          {text}
        </span>
      );
    }
  }
}

function AnsweredBy({ call, narrow }: { call: Call; narrow: boolean }) {
  return (
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
  );
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
