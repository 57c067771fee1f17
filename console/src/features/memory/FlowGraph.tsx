import { useId } from 'react';
import type { Flow } from '@/api/types';
import { drawFlow, stateHeight, stateWidth } from './flowLayout';

/** The states of a flow, and the moves between them; each state says how many things are in it. */
export function FlowGraph({ flow }: { flow: Flow }) {
  const arrow = useId();
  const { places, lines, width, height } = drawFlow(flow);
  const inState = new Map<string, number>();
  for (const thing of flow.things) inState.set(thing.state, (inState.get(thing.state) ?? 0) + 1);
  return (
    <div className="overflow-x-auto">
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`Flow ${flow.name}: ${lines.map((line) => `${line.from} to ${line.to}`).join(', ')}`}
      >
        <defs>
          <marker
            id={arrow}
            viewBox="0 0 8 8"
            refX="7"
            refY="4"
            markerWidth="7"
            markerHeight="7"
            orient="auto"
          >
            <path d="M0,0 L8,4 L0,8 z" className="fill-dim" />
          </marker>
        </defs>
        {lines.map((line) => (
          <g key={`${line.from} ${line.to}`}>
            <path d={line.path} className="fill-none stroke-dim" markerEnd={`url(#${arrow})`} />
            <text
              x={line.x}
              y={line.y}
              textAnchor="middle"
              className="fill-dim stroke-4 stroke-ground text-[11px] [paint-order:stroke]"
            >
              {line.mappings.length > 1
                ? `${line.mappings[0]} +${line.mappings.length - 1}`
                : line.mappings[0]}
            </text>
          </g>
        ))}
        {places.map(({ state, x, y }) => {
          const count = inState.get(state) ?? 0;
          return (
            <g key={state} data-state={state} data-count={count}>
              <rect
                x={x}
                y={y}
                width={stateWidth}
                height={stateHeight}
                rx={6}
                className={count > 0 ? 'fill-panel stroke-accent stroke-2' : 'fill-panel stroke-line'}
              />
              <text
                x={x + stateWidth / 2}
                y={y + stateHeight / 2 + 4}
                textAnchor="middle"
                className="fill-ink text-[13px]"
              >
                {state}
                {count > 0 && <tspan className="fill-dim tabular-nums"> · {count}</tspan>}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}
