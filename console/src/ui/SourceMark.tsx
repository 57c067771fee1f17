import { cn } from './cn';

/** Each source of an answer has a shape, a colour and a word. The shapes are 12 wide and high. */
const shapes: Record<string, { path: string; stroke?: number }> = {
  mapping: { path: 'M6 0.8 11.2 6 6 11.2 0.8 6Z' },
  contract: { path: 'M1.5 1.5H10.5V10.5H1.5Z' },
  upstream: { path: 'M6 1 11 10.6H1Z' },
  impairment: { path: 'M7.4 0.6 2 7h3l-1 4.6L10 4.8H6.6Z' },
  miss: { path: 'M2 2 10 10M10 2 2 10', stroke: 2.4 },
  self: { path: 'M2 6a4 4 0 1 0 8 0a4 4 0 1 0 -8 0', stroke: 2 },
  callback: { path: 'M1.5 6h8M6 2.2 10 6 6 9.8', stroke: 2.2 },
};

/** Draws the shape of a source on a canvas, its middle at a place. */
export function drawMark(
  c: CanvasRenderingContext2D,
  source: string,
  colour: string,
  x: number,
  y: number,
  scale: number,
) {
  const shape = shapes[source];
  if (!shape) return;
  c.save();
  c.translate(x - 6 * scale, y - 6 * scale);
  c.scale(scale, scale);
  c.fillStyle = c.strokeStyle = colour;
  c.lineWidth = shape.stroke ?? 1;
  const path = pathOf(source, shape.path);
  if (shape.stroke) c.stroke(path);
  else c.fill(path);
  c.restore();
}

const paths = new Map<string, Path2D>();

function pathOf(source: string, text: string): Path2D {
  const path = paths.get(source) ?? new Path2D(text);
  paths.set(source, path);
  return path;
}

const colors: Record<string, string> = {
  mapping: 'text-mapping',
  contract: 'text-contract',
  upstream: 'text-upstream',
  impairment: 'text-impairment',
  miss: 'text-miss',
  self: 'text-self',
  callback: 'text-callback',
};

export function SourceMark({ source, className }: { source: string; className?: string }) {
  return (
    <span className={cn('inline-flex items-center gap-1.5', colors[source], className)}>
      <svg width="12" height="12" viewBox="0 0 12 12" className="shrink-0" aria-hidden="true">
        <Shape source={source} />
      </svg>
      <span className="font-medium">{source}</span>
    </span>
  );
}

function Shape({ source }: { source: string }) {
  const shape = shapes[source];
  if (!shape) return null;
  return shape.stroke ? (
    <path
      d={shape.path}
      fill="none"
      stroke="currentColor"
      strokeWidth={shape.stroke}
      strokeLinecap="round"
      strokeLinejoin="round"
    />
  ) : (
    <path d={shape.path} fill="currentColor" />
  );
}
