import { cn } from './cn';

const width = 60;
const height = 16;

/** Whatever is more than nothing is seen. */
const heightOf = (value: number, most: number) =>
  value === 0 ? 0 : Math.max(2, (value / most) * (height - 1));

interface Props {
  values: number[];
  /** The label says in words what they are. */
  label: string;
  /** Of each of them, how much is drawn over it: what impairments did to them. */
  hit?: number[];
}

/** Numbers over time as small bars, the oldest first. */
export function Curve({ values, label, hit }: Props) {
  const most = Math.max(...values);
  if (most <= 0) return null;
  const step = width / values.length;
  return (
    <svg
      role="img"
      aria-label={label}
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      className={cn('shrink-0', hit ? 'fill-dim' : 'fill-accent')}
    >
      <title>{label}</title>
      <rect x="0" y={height - 1} width={width} height="1" className="fill-line" />
      {values.map((value, i) => {
        const tall = heightOf(value, most);
        const over = heightOf(hit?.[i] ?? 0, most);
        const wide = Math.max(step - 1, 1);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
          <g key={i}>
            <rect x={i * step} y={height - tall} width={wide} height={tall} />
            {over > 0 && (
              <rect x={i * step} y={height - over} width={wide} height={over} className="fill-impairment" />
            )}
          </g>
        );
      })}
    </svg>
  );
}
