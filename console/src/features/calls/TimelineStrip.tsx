import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { memo, type PointerEvent, useMemo, useRef, useState } from 'react';
import type { Entry } from '@/api/types';
import { clock, count, duration } from '@/lib/format';
import { Button } from '@/ui/Button';
import { sourceFills } from '@/ui/SourceBar';
import { SourceMark } from '@/ui/SourceMark';
import type { CallScope } from './callFilter';
import { timelineOf } from './queries';
import { type Column, stackOrder, type TimelineView, timeBetween, timelineView } from './timelineView';

const width = 900;
const stackHeight = 46;
const bandTop = 52;
const bandHeight = 16;

interface Props {
  scope: CallScope;
  /** What was changed, to be marked where it was. */
  entries: Entry[];
  /** Calls of this time are shown; without one all are. */
  time?: { from: number; to: number };
  onTime(time?: { from: number; to: number }): void;
}

/**
 * The last quarter of an hour: who answered, what failed, how long it took, and what was changed meanwhile. It is
 * drawn anew when it is read anew, not with each call.
 */
export const TimelineStrip = memo(({ scope, entries, time, onTime }: Props) => {
  const { data } = useQuery(timelineOf(scope));
  const view = useMemo(() => data && timelineView(data), [data]);
  if (!data || !view) return <div className="h-[104px] border-line border-b" />;
  return (
    <section aria-label="The last 15 minutes" className="border-line border-b bg-panel px-5 pt-1.5 pb-1">
      <Legend view={view} time={time} onTime={onTime} />
      <Plot view={view} spanMs={data.seconds * 1_000} entries={entries} time={time} onTime={onTime} />
    </section>
  );
});

function Legend({ view, time, onTime }: { view: TimelineView } & Pick<Props, 'time' | 'onTime'>) {
  const present = stackOrder.filter((source) =>
    view.columns.some(({ pieces }) => pieces.some((piece) => piece.source === source)),
  );
  return (
    <p className="flex min-h-6 flex-wrap items-center gap-x-4 text-xs">
      <span>
        <strong className="font-semibold">{count(view.calls, 'call')}</strong>
        <span className="text-dim"> in 15 minutes, at most {view.most.toLocaleString('en')} in 15 s</span>
      </span>
      {present.map((source) => (
        <SourceMark key={source} source={source} />
      ))}
      {view.failed > 0 && <span className="text-bad">{count(view.failed, 'call')} failed</span>}
      {view.notKept > 0 && (
        <span className="font-medium text-miss">{count(view.notKept, 'call')} not kept</span>
      )}
      {view.calls > 0 && <span className="text-dim">p95 up to {duration(view.slowestMs)}</span>}
      {time && (
        <span className="ml-auto flex items-center gap-1">
          <span className="font-medium">
            {clock(new Date(time.from).toISOString())} to {clock(new Date(time.to).toISOString())}
          </span>
          <Button look="bare" className="h-6 px-1" aria-label="Show all times" onClick={() => onTime()}>
            <X size={14} aria-hidden />
          </Button>
        </span>
      )}
      {!time && <span className="ml-auto text-dim">drag to see the calls of a time</span>}
    </p>
  );
}

interface PlotProps extends Omit<Props, 'scope'> {
  view: TimelineView;
  spanMs: number;
}

function Plot({ view, spanMs, entries, time, onTime }: PlotProps) {
  const box = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ from: number; to: number }>();
  const { columns } = view;
  const step = width / columns.length;
  const first = columns[0]?.at ?? 0;
  const end = first + columns.length * spanMs;
  const xOf = (at: number) => ((at - first) / (end - first)) * width;
  const columnAt = (event: PointerEvent) => {
    const { left, width: wide } = (box.current as SVGSVGElement).getBoundingClientRect();
    const share = (event.clientX - left) / wide;
    return Math.min(columns.length - 1, Math.max(0, Math.floor(share * columns.length)));
  };
  const chosen = drag ? timeBetween(columns, drag.from, drag.to, spanMs) : time;
  return (
    <svg
      ref={box}
      role="img"
      aria-label={`${view.calls} calls, ${view.failed} of them failed`}
      viewBox={`0 0 ${width} ${bandTop + bandHeight}`}
      preserveAspectRatio="none"
      className="block h-[68px] w-full cursor-crosshair touch-none"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = columnAt(event);
        setDrag({ from: at, to: at });
      }}
      onPointerMove={(event) => drag && setDrag({ ...drag, to: columnAt(event) })}
      onPointerUp={() => {
        if (drag) onTime(timeBetween(columns, drag.from, drag.to, spanMs));
        setDrag(undefined);
      }}
      onPointerCancel={() => setDrag(undefined)}
    >
      {columns.map((column, i) => (
        <ColumnMark key={column.at} column={column} x={i * step} step={step} slowestMs={view.slowestMs} />
      ))}
      <line x1="0" x2={width} y1={stackHeight} y2={stackHeight} className="stroke-line" />
      <line
        x1="0"
        x2={width}
        y1={bandTop + bandHeight - 0.5}
        y2={bandTop + bandHeight - 0.5}
        className="stroke-line"
      />
      {entries
        .filter(({ at }) => Date.parse(at) >= first)
        .map((entry) => (
          <g key={entry.id} className="stroke-accent">
            <title>{`${clock(entry.at)} ${entry.lines.join('; ')}`}</title>
            <line
              x1={xOf(Date.parse(entry.at))}
              x2={xOf(Date.parse(entry.at))}
              y1="0"
              y2={bandTop + bandHeight}
              strokeDasharray="2 3"
              vectorEffect="non-scaling-stroke"
            />
          </g>
        ))}
      {chosen && (
        <rect
          x={xOf(chosen.from)}
          width={Math.max(2, xOf(chosen.to) - xOf(chosen.from))}
          y="0"
          height={bandTop + bandHeight}
          className="fill-accent opacity-20"
        />
      )}
    </svg>
  );
}

interface ColumnProps {
  column: Column;
  x: number;
  step: number;
  slowestMs: number;
}

/** One span: the stack of who answered, below it what failed and how long it took. */
function ColumnMark({ column, x, step, slowestMs }: ColumnProps) {
  const { at, calls, failed, notKept, p95Ms, pieces } = column;
  const wide = step - 1;
  const slow = calls === 0 ? 0 : Math.max(1, (p95Ms / slowestMs) * bandHeight);
  return (
    <g>
      <title>
        {`${clock(new Date(at).toISOString())}: ${count(calls, 'call')}${failed ? `, ${failed} failed` : ''}${notKept ? `, ${notKept} not kept` : ''}${calls ? `, p95 ${duration(p95Ms)}` : ''}`}
      </title>
      <rect x={x} y="0" width={step} height={bandTop + bandHeight} fill="transparent" />
      {pieces.map(({ source, from, tall }) => (
        <rect
          key={source}
          x={x}
          width={wide}
          y={stackHeight - (from + tall) * stackHeight}
          height={Math.max(1, tall * stackHeight)}
          className={sourceFills[source]}
        />
      ))}
      {notKept > 0 && <rect x={x} width={wide} y="0" height="4" className="fill-miss" />}
      <rect
        x={x}
        width={wide}
        y={bandTop + bandHeight - slow}
        height={slow}
        className="fill-dim opacity-60"
      />
      {failed > 0 && (
        <rect
          x={x}
          width={wide}
          y={bandTop}
          height={Math.max(3, (failed / calls) * bandHeight)}
          className="fill-bad"
        />
      )}
    </g>
  );
}
