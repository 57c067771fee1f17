import type { Flow } from '@/api/types';

/** Where a state is drawn: its upper left corner. */
export interface Place {
  state: string;
  x: number;
  y: number;
}

/** A line from one state to another, with the mappings that move things along it. */
export interface Line {
  from: string;
  to: string;
  mappings: string[];
  path: string;
  /** Where its words stand. */
  x: number;
  y: number;
}

export interface FlowDrawing {
  places: Place[];
  lines: Line[];
  width: number;
  height: number;
}

export const stateWidth = 132;
export const stateHeight = 40;
const columnGap = 96;
const rowGap = 44;
const edge = 8;

/**
 * Draws a flow from left to right: each state stands in the column of the fewest moves that lead to it.
 * Moves that lead back run below, those that stay above. Moves from any state are no lines.
 */
export function drawFlow(flow: Pick<Flow, 'states' | 'moves'>): FlowDrawing {
  const columns = columnsOf(flow);
  const rows: number[] = [];
  const places = flow.states.map((state) => {
    const column = columns.get(state) ?? 0;
    const row = rows[column] ?? 0;
    rows[column] = row + 1;
    return {
      state,
      x: edge + column * (stateWidth + columnGap),
      y: edge + 24 + row * (stateHeight + rowGap),
    };
  });
  const at = new Map(places.map((place) => [place.state, place]));
  const lines: Line[] = [];
  for (const move of flow.moves) {
    if (!move.to) continue;
    for (const from of move.from ?? []) {
      const known = lines.find((line) => line.from === from && line.to === move.to);
      if (known) known.mappings.push(move.mapping);
      else lines.push(lineBetween(at.get(from), at.get(move.to), move.mapping));
    }
  }
  const most = Math.max(1, ...rows.filter(Boolean));
  return {
    places,
    lines,
    width: 2 * edge + Math.max(1, rows.length) * stateWidth + (Math.max(1, rows.length) - 1) * columnGap,
    height: 2 * edge + 24 + most * stateHeight + (most - 1) * rowGap + 40,
  };
}

/** The column of each state: how many moves lead to it from the first at least. */
function columnsOf({ states, moves }: Pick<Flow, 'states' | 'moves'>): Map<string, number> {
  const columns = new Map<string, number>(states.slice(0, 1).map((first) => [first, 0]));
  for (const state of columns.keys()) {
    for (const move of moves) {
      if (move.to && !columns.has(move.to) && (move.from ?? states).includes(state)) {
        columns.set(move.to, (columns.get(state) ?? 0) + 1);
      }
    }
  }
  const last = Math.max(0, ...columns.values());
  for (const state of states) if (!columns.has(state)) columns.set(state, last);
  return columns;
}

function lineBetween(from: Place | undefined, to: Place | undefined, mapping: string): Line {
  const line = { from: from?.state ?? '', to: to?.state ?? '', mappings: [mapping], path: '', x: 0, y: 0 };
  if (!from || !to) return line;
  const middle = (place: Place) => place.y + stateHeight / 2;
  if (from === to) {
    const x = from.x + stateWidth / 2;
    line.path = `M${x - 22},${from.y} C${x - 22},${from.y - 24} ${x + 22},${from.y - 24} ${x + 22},${from.y}`;
    return Object.assign(line, { x, y: from.y - 20 });
  }
  if (to.x > from.x) {
    const [x1, y1, x2, y2] = [from.x + stateWidth, middle(from), to.x, middle(to)];
    const far = x2 - x1 > columnGap;
    const bend = far ? -stateHeight : 0;
    const half = (x2 - x1) / 2;
    line.path = `M${x1},${y1} C${x1 + half},${y1 + bend} ${x2 - half},${y2 + bend} ${x2},${y2}`;
    return Object.assign(line, { x: x1 + half, y: (y1 + y2) / 2 + bend * 0.75 - 6 });
  }
  const [x1, x2] = [from.x + stateWidth / 2, to.x + stateWidth / 2];
  const [y1, y2] = [from.y + stateHeight, to.y + stateHeight];
  const low = Math.max(y1, y2) + 34;
  line.path = `M${x1},${y1} C${x1},${low} ${x2},${low} ${x2},${y2}`;
  return Object.assign(line, { x: (x1 + x2) / 2, y: low - 12 });
}
