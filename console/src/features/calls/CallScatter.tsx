import { memo, useEffect, useMemo, useRef, useState } from 'react';
import type { Call } from '@/api/types';
import { clock, count, duration } from '@/lib/format';
import { targetOf } from '@/lib/target';
import { useTheme } from '@/lib/theme';
import { useEvery } from '@/lib/useEvery';
import { drawMark, SourceMark } from '@/ui/SourceMark';
import { apart, nearest, type Point, type Scatter, scatterOf } from './callScatter';

interface Props {
  /** The newest first. */
  calls: Call[];
  selected?: string;
  onSelect(id: string): void;
}

const margin = { top: 10, right: 20, bottom: 24, left: 68 };

/** How often it is drawn anew at most, in milliseconds. */
const drawEvery = 2_000;

/** Calls as points: when they came, how long they took, who answered. */
export function CallScatter({ calls, selected, onSelect }: Props) {
  return <Points calls={useEvery(calls, drawEvery)} selected={selected} onSelect={onSelect} />;
}

const Points = memo(function Points({ calls, selected, onSelect }: Props) {
  const plot = useMemo(() => scatterOf(calls), [calls]);
  if (!plot) return null;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <p className="px-5 py-1.5 text-[13px]">
        <strong className="font-semibold">{count(calls.length, 'call')}</strong>
        <span className="text-dim">
          {`: half of them took up to ${duration(plot.medianMs)}, 95 of 100 up to ${duration(plot.p95Ms)}`}
        </span>
      </p>
      <Canvas plot={plot} selected={selected} onSelect={onSelect} />
      <section aria-label="The slowest" className="border-line border-t px-5 py-2">
        <h3 className="mb-1 font-medium text-dim text-xs">The slowest</h3>
        <ul className="text-[13px]">
          {plot.slowest.map((call) => (
            <li key={call.id}>
              <button
                type="button"
                onClick={() => onSelect(call.id)}
                className="flex w-full items-baseline gap-3 rounded px-1 py-0.5 text-left hover:bg-sunken"
              >
                <span className="w-[70px] shrink-0 text-right tabular-nums">{duration(call.tookMs)}</span>
                <span className="min-w-0 truncate font-mono text-xs">
                  {call.method} {targetOf(call)}
                </span>
                <SourceMark source={call.source} className="ml-auto shrink-0" />
              </button>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
});

function Canvas({ plot, selected, onSelect }: { plot: Scatter } & Omit<Props, 'calls'>) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [over, setOver] = useState<Point>();
  const theme = useTheme();
  useEffect(() => {
    const watched = box.current as HTMLDivElement;
    const watch = new ResizeObserver(() =>
      setSize({ width: watched.clientWidth, height: watched.clientHeight }),
    );
    watch.observe(watched);
    return () => watch.disconnect();
  }, []);
  const [drawn, setDrawn] = useState<Drawing>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: another theme has other colours
  useEffect(() => (size.width > 0 ? draw(plot, size, setDrawn) : undefined), [plot, size, theme]);
  const meant = over?.call.id ?? selected;
  useEffect(() => {
    if (canvas.current && drawn) show(canvas.current, drawn, meant);
  }, [drawn, meant]);
  const inner = innerOf(size);
  const at = (event: { nativeEvent: { offsetX: number; offsetY: number } }) =>
    nearest(
      plot.points,
      { x: event.nativeEvent.offsetX - margin.left, y: event.nativeEvent.offsetY - margin.top },
      inner,
    );
  return (
    <div ref={box} className="relative min-h-40 flex-1">
      <canvas
        ref={canvas}
        role="img"
        aria-label={`How long calls took, between ${clock(new Date(plot.from).toISOString())} and ${clock(new Date(plot.to).toISOString())}; the slowest are listed below`}
        className="absolute inset-0 size-full cursor-crosshair"
        onPointerMove={(event) => setOver(at(event))}
        onPointerLeave={() => setOver(undefined)}
        onClick={(event) => {
          const found = at(event);
          if (found) onSelect(found.call.id);
        }}
      />
      {over && (
        <p
          className="pointer-events-none absolute z-10 max-w-80 rounded border border-line bg-panel px-2 py-1 text-xs shadow"
          style={{
            left: Math.min(margin.left + over.x * inner.width + 10, Math.max(0, size.width - 330)),
            top: Math.min(margin.top + (1 - over.y) * inner.height + 10, Math.max(0, size.height - 60)),
          }}
        >
          <span className="block truncate font-mono">
            {over.call.method} {targetOf(over.call)}
          </span>
          <span className="text-dim">
            {`${clock(over.call.at)}, ${over.call.status || 'no answer'}, ${duration(over.call.tookMs)}, by ${over.call.source}`}
          </span>
        </p>
      )}
    </div>
  );
}

function innerOf({ width, height }: { width: number; height: number }) {
  return {
    width: Math.max(1, width - margin.left - margin.right),
    height: Math.max(1, height - margin.top - margin.bottom),
  };
}

/** Points over their axes, drawn on a sheet that is not shown. */
interface Drawing {
  sheet: HTMLCanvasElement;
  plot: Scatter;
  size: { width: number; height: number };
}

/**
 * How many points are drawn between two pictures of the page, which stays at hand that way, and between how
 * many at most: on a slow machine a drawing ends before the next one begins.
 */
const atOnce = 400;
const mostFrames = 8;

/** Draws points, some at a time, and tells when all are. It returns what stops that. */
function draw(plot: Scatter, size: Drawing['size'], whenDrawn: (drawing: Drawing) => void): () => void {
  const sheet = document.createElement('canvas');
  const c = contextOf(sheet, size);
  if (!c) return () => {};
  const inner = innerOf(size);
  drawAxes(c, plot, inner);
  const points = apart(plot.points, inner);
  const marks = new Map<string, HTMLCanvasElement>(); // drawn once for all points of a source
  const some = Math.max(atOnce, Math.ceil(points.length / mostFrames));
  let next = 0;
  let frame = 0;
  const drawSome = () => {
    const now = points.slice(next, next + some);
    next += now.length;
    for (const { call, x, y } of now) {
      let mark = marks.get(call.source);
      if (!mark) {
        mark = markOf(call.source, colour(call.source));
        marks.set(call.source, mark);
      }
      c.drawImage(mark, x * inner.width - half, (1 - y) * inner.height - half, 2 * half, 2 * half);
    }
    if (next < points.length) frame = requestAnimationFrame(drawSome);
    else whenDrawn({ sheet, plot, size });
  };
  drawSome();
  return () => cancelAnimationFrame(frame);
}

/** Shows what was drawn, and which call is meant. */
function show(canvas: HTMLCanvasElement, { sheet, plot, size }: Drawing, meant?: string) {
  const c = contextOf(canvas, size);
  if (!c) return;
  c.drawImage(sheet, -margin.left, -margin.top, size.width, size.height);
  const chosen = meant && plot.points.find(({ call }) => call.id === meant);
  if (!chosen) return;
  const { width, height } = innerOf(size);
  const { call, x, y } = chosen;
  drawMark(c, call.source, colour(call.source), x * width, (1 - y) * height, 1.4);
  c.strokeStyle = colour('focus');
  c.lineWidth = 2;
  c.beginPath();
  c.arc(x * width, (1 - y) * height, 11, 0, 2 * Math.PI);
  c.stroke();
}

const scale = () => devicePixelRatio || 1;

const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`);

/** What to draw with on an emptied canvas, from the top left of the points on, in pixels of the page. */
function contextOf(canvas: HTMLCanvasElement, size: Drawing['size']) {
  canvas.width = size.width * scale();
  canvas.height = size.height * scale();
  const c = canvas.getContext('2d');
  c?.scale(scale(), scale());
  c?.translate(margin.left, margin.top);
  return c;
}

function drawAxes(c: CanvasRenderingContext2D, plot: Scatter, { width, height }: Drawing['size']) {
  c.font = '11px "Inter Variable", sans-serif';
  c.lineWidth = 1;
  c.strokeStyle = colour('line');
  c.fillStyle = colour('dim');
  c.textBaseline = 'middle';
  c.textAlign = 'right';
  for (const { ms, y } of plot.marks) {
    const at = Math.round((1 - y) * height) + 0.5;
    c.beginPath();
    c.moveTo(0, at);
    c.lineTo(width, at);
    c.stroke();
    c.fillText(ms < 1_000 ? `${ms} ms` : `${ms / 1_000} s`, -8, at);
  }
  c.textBaseline = 'top';
  for (const [share, align] of [
    [0, 'left'],
    [0.5, 'center'],
    [1, 'right'],
  ] as const) {
    c.textAlign = align;
    const moment = plot.from + share * (plot.to - plot.from);
    c.fillText(clock(new Date(moment).toISOString()), share * width, height + 8);
  }
}

/** Half of the width and height of a mark, in pixels of the page. */
const half = 6;

/** The shape of a source as a picture. */
function markOf(source: string, ink: string): HTMLCanvasElement {
  const picture = document.createElement('canvas');
  picture.width = picture.height = 2 * half * scale();
  const c = picture.getContext('2d');
  if (!c) return picture;
  c.scale(scale(), scale());
  drawMark(c, source, ink, half, half, 0.75);
  return picture;
}
