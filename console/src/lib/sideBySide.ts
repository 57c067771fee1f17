import { diffLines } from 'diff';

export interface Row {
  key: number;
  left?: string; // none where only the right side has a line
  right?: string;
}

/** Lines that were replaced stand beside those that replace them. */
export function sideBySide(before: string, after: string): Row[] {
  const rows: Row[] = [];
  const push = (left?: string, right?: string) => rows.push({ key: rows.length, left, right });
  const parts = diffLines(before, after).map((part) => ({
    ...part,
    lines: part.value.replace(/\n$/, '').split('\n'),
  }));
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i];
    const next = parts[i + 1];
    if (!part) continue;
    if (part.removed && next?.added) {
      const length = Math.max(part.lines.length, next.lines.length);
      for (let line = 0; line < length; line++) push(part.lines[line], next.lines[line]);
      i++;
    } else if (part.removed) for (const line of part.lines) push(line, undefined);
    else if (part.added) for (const line of part.lines) push(undefined, line);
    else for (const line of part.lines) push(line, line);
  }
  return rows;
}

/** A run of equal lines far from any difference. */
export interface Alike {
  key: number;
  alike: number;
}

/** Leaves out what is alike, but for a few lines around each difference. */
export function aroundChanges(rows: Row[], around = 3): (Row | Alike)[] {
  const near = new Set<number>();
  rows.forEach(({ left, right }, i) => {
    if (left !== right) for (let at = i - around; at <= i + around; at++) near.add(at);
  });
  const out: (Row | Alike)[] = [];
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i];
    if (!row) continue;
    if (near.has(i)) {
      out.push(row);
      continue;
    }
    let end = i;
    while (end < rows.length && !near.has(end)) end++;
    if (end - i > 2) out.push({ key: row.key, alike: end - i });
    else out.push(...rows.slice(i, end));
    i = end - 1;
  }
  return out;
}
