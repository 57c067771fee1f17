const width = 60;
const height = 16;

/** Numbers over time as small bars, the oldest first; the label says in words what they are. */
export function Curve({ values, label }: { values: number[]; label: string }) {
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
      className="shrink-0 fill-accent"
    >
      <title>{label}</title>
      <rect x="0" y={height - 1} width={width} height="1" className="fill-line" />
      {values.map((value, i) => {
        const tall = value === 0 ? 0 : Math.max(2, (value / most) * (height - 1));
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
          <rect key={i} x={i * step} y={height - tall} width={Math.max(step - 1, 1)} height={tall} />
        );
      })}
    </svg>
  );
}
