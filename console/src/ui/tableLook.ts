/** The looks of tables that reach from edge to edge of a page. */
export const headCell = 'px-3 py-1.5 text-left font-normal text-dim text-xs first:pl-5 last:pr-5';
export const bodyCell = 'px-3 align-top first:pl-5 last:pr-5';
