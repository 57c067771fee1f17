import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight, Search } from 'lucide-react';
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from 'react';
import {
  type Body,
  type BodyLine,
  bodyLines,
  findLines,
  linesAround,
  pathOf,
  pointerOf,
  shownLines,
  type Tone,
  textLines,
} from '@/lib/bodyLines';
import { count } from '@/lib/format';
import { Button } from './Button';
import { CopyButton } from './CopyButton';
import { cn } from './cn';
import { inputLook } from './Field';

/** A field of a body: where it stands, and its value as it is written, where it has a single one. */
export interface BodyField {
  notation: Body['notation'];
  /** A JSONPath or an XPath. */
  path: string;
  /** A JSON Pointer; '' of XML. */
  pointer: string;
  value?: string;
}

interface Props {
  body: string;
  label: string;
  /** As it came, instead of laid out. */
  raw?: boolean;
  /** What can be done with the field that is chosen. */
  actions?(field: BodyField): ReactNode;
}

const tones: Record<Tone, string> = {
  name: 'text-contract',
  text: 'text-good',
  number: 'text-mapping',
  word: 'text-miss',
  plain: '',
};

const lineHeight = 18;
/** Up to how many lines all of them stand in the page. */
const fewLines = 400;

/** A body line by line: folded, searched, and with the path of the line that is chosen. */
export function BodyView({ body, label, raw = false, actions }: Props) {
  const all = useMemo(() => (raw ? textLines(body) : bodyLines(body)), [body, raw]);
  const { lines } = all;
  const [folded, setFolded] = useState<ReadonlySet<number>>(new Set());
  const [chosen, setChosen] = useState(-1);
  const [hovered, setHovered] = useState(-1);
  const shown = useMemo(() => shownLines(lines, folded), [lines, folded]);
  const list = useRef<LineListHandle>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another body has other lines
  useEffect(() => {
    setFolded(new Set());
    setChosen(-1);
    setHovered(-1);
  }, [all]);

  const fold = (at: number, close: boolean) =>
    setFolded((now) => {
      const next = new Set(now);
      if (close) next.add(at);
      else next.delete(at);
      return next;
    });
  const goTo = (at: number) => {
    setFolded((now) => {
      const around = new Set(linesAround(lines, at));
      return new Set([...now].filter((one) => !around.has(one)));
    });
    setChosen(at);
    requestAnimationFrame(() => list.current?.scrollTo(at));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const place = shown.indexOf(chosen);
    const line = lines[chosen];
    const step: Record<string, () => void> = {
      ArrowDown: () => goTo(shown[Math.min(place + 1, shown.length - 1)] ?? 0),
      ArrowUp: () => goTo(shown[Math.max(place - 1, 0)] ?? 0),
      ArrowLeft: () =>
        line?.folded && !folded.has(chosen)
          ? fold(chosen, true)
          : line && line.parent >= 0 && goTo(line.parent),
      ArrowRight: () => line?.folded && fold(chosen, false),
      Home: () => goTo(shown[0] ?? 0),
      End: () => goTo(shown.at(-1) ?? 0),
    };
    if (!step[event.key]) return;
    event.preventDefault();
    step[event.key]?.();
  };

  const at = chosen >= 0 ? chosen : hovered;
  const path = all.notation === 'text' ? '' : pathOf(all, at);
  const field = path
    ? {
        notation: all.notation,
        path,
        pointer: all.notation === 'json' ? pointerOf(all, at) : '',
        value: lines[at]?.value,
      }
    : undefined;
  return (
    <div className="mt-2 rounded bg-sunken">
      {all.notation === 'text' ? (
        <TextLines ref={list} label={label} lines={lines} chosen={chosen} />
      ) : (
        <LineList
          ref={list}
          label={label}
          all={all}
          shown={shown}
          folded={folded}
          chosen={chosen}
          onFold={fold}
          onChoose={(line) => setChosen(line === chosen ? -1 : line)}
          onHover={(line) => chosen < 0 && setHovered(line)}
          onKeyDown={onKeyDown}
        />
      )}
      <div className="flex min-h-8 flex-wrap items-center gap-1.5 border-panel border-t px-2 py-1">
        <LineSearch lines={lines} label={label} onFind={goTo} />
        {field && (
          <>
            <code className="min-w-0 break-all text-xs" data-testid="path">
              {field.path}
            </code>
            {chosen >= 0 && <CopyButton text={field.path} what="path" />}
            {chosen >= 0 && actions?.(field)}
          </>
        )}
        {!field && all.notation !== 'text' && (
          <span className="text-dim text-xs">Choose a line for its path and what can be done with it</span>
        )}
      </div>
    </div>
  );
}

interface LineListHandle {
  scrollTo(line: number): void;
}

interface TextLinesProps extends Pick<LineListProps, 'ref' | 'label' | 'chosen'> {
  lines: BodyLine[];
}

/** A body as it came. */
function TextLines({ ref, label, lines, chosen }: TextLinesProps) {
  const box = useRef<HTMLElement>(null);
  ref.current = {
    scrollTo: (line) =>
      box.current?.querySelector(`[data-line="${line}"]`)?.scrollIntoView({ block: 'nearest' }),
  };
  return (
    <section
      ref={box}
      tabIndex={0}
      aria-label={label}
      className="max-h-[46vh] overflow-auto whitespace-pre-wrap break-words px-2.5 py-1.5 font-mono text-xs"
    >
      {lines.map((line, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: lines never move
        <div key={at} data-line={at} className={cn(at === chosen && 'bg-panel')}>
          {line.pieces[0]?.[0] || ' '}
        </div>
      ))}
    </section>
  );
}

interface LineListProps {
  ref: React.RefObject<LineListHandle | null>;
  label: string;
  all: Body;
  shown: number[];
  folded: ReadonlySet<number>;
  chosen: number;
  onFold(line: number, close: boolean): void;
  onChoose(line: number): void;
  onHover(line: number): void;
  onKeyDown(event: KeyboardEvent): void;
}

function LineList({
  ref,
  label,
  all,
  shown,
  folded,
  chosen,
  onFold,
  onChoose,
  onHover,
  onKeyDown,
}: LineListProps) {
  const box = useRef<HTMLDivElement>(null);
  const virtual = shown.length > fewLines;
  const rows = useVirtualizer({
    count: shown.length,
    enabled: virtual,
    getScrollElement: () => box.current,
    estimateSize: () => lineHeight,
    overscan: 20,
  });
  ref.current = {
    scrollTo(line) {
      const at = shown.indexOf(line);
      if (virtual) rows.scrollToIndex(at, { align: 'auto' });
      else box.current?.querySelector(`[data-line="${line}"]`)?.scrollIntoView({ block: 'nearest' });
    },
  };
  const items = virtual ? rows.getVirtualItems() : shown.map((_, index) => ({ index, start: 0 }));
  const id = `line-${label.replace(/\W/g, '-')}`;
  return (
    <div
      ref={box}
      tabIndex={0}
      role="tree"
      aria-label={label}
      aria-activedescendant={chosen >= 0 ? `${id}-${chosen}` : undefined}
      onKeyDown={onKeyDown}
      onMouseLeave={() => onHover(-1)}
      className="max-h-[46vh] overflow-auto py-1.5 font-mono text-xs"
    >
      <div
        className="relative w-max min-w-full"
        style={virtual ? { height: rows.getTotalSize() } : undefined}
      >
        {items.map(({ index, start }) => {
          const at = shown[index] ?? 0;
          const line = all.lines[at];
          if (!line) return null;
          return (
            <Line
              key={at}
              id={`${id}-${at}`}
              at={at}
              line={line}
              top={virtual ? start : undefined}
              closed={folded.has(at)}
              chosen={at === chosen}
              onFold={onFold}
              onChoose={onChoose}
              onHover={onHover}
            />
          );
        })}
      </div>
    </div>
  );
}

interface LineProps extends Pick<LineListProps, 'onFold' | 'onChoose' | 'onHover'> {
  id: string;
  at: number;
  line: BodyLine;
  top?: number;
  closed: boolean;
  chosen: boolean;
}

function Line({ id, at, line, top, closed, chosen, onFold, onChoose, onHover }: LineProps) {
  const Mark = closed ? ChevronRight : ChevronDown;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the tree takes the keys
    <div
      id={id}
      data-line={at}
      role="treeitem"
      tabIndex={-1}
      aria-level={line.depth + 1}
      aria-selected={chosen}
      aria-expanded={line.folded ? !closed : undefined}
      onClick={(event) => {
        if ((event.target as Element).closest('[data-fold]')) onFold(at, !closed);
        else if (line.step !== undefined && !getSelection()?.toString()) onChoose(at);
      }}
      onMouseEnter={() => onHover(at)}
      className={cn(
        'flex w-max min-w-full whitespace-pre pr-3 leading-[18px] hover:bg-panel',
        chosen && 'bg-panel shadow-[inset_2px_0_0_var(--accent)]',
        top !== undefined && 'absolute inset-x-0',
      )}
      style={{ paddingLeft: 4 + line.depth * 14, ...(top === undefined ? {} : { top, height: lineHeight }) }}
    >
      <span className="w-4 shrink-0 text-dim">
        {line.folded && (
          <span data-fold={at} className="flex h-[18px] cursor-pointer items-center">
            <Mark size={12} aria-hidden />
          </span>
        )}
      </span>
      <span>
        {line.pieces.map(([text, tone], i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the pieces of a line never move
          <span key={i} className={tones[tone]}>
            {text.length > longest ? `${text.slice(0, longest)}…` : text}
          </span>
        ))}
        {closed && <span className="text-dim"> {line.folded}</span>}
      </span>
    </div>
  );
}

/** How much of a value is drawn. */
const longest = 2_000;

/** Finds text in the lines, one after the other. */
function LineSearch({
  lines,
  label,
  onFind,
}: {
  lines: BodyLine[];
  label: string;
  onFind(line: number): void;
}) {
  const [open, setOpen] = useState(false);
  const [wanted, setWanted] = useState('');
  const [at, setAt] = useState(0);
  const found = useMemo(() => findLines(lines, wanted.trim()), [lines, wanted]);
  if (!open) {
    return (
      <Button look="bare" className="h-6 px-1.5" aria-label={`Search ${label}`} onClick={() => setOpen(true)}>
        <Search size={14} aria-hidden />
      </Button>
    );
  }
  const go = (to: number) => {
    const next = (to + found.length) % found.length;
    setAt(next);
    const line = found[next];
    if (line !== undefined) onFind(line);
  };
  return (
    <span className="flex items-center gap-1.5">
      <input
        type="search"
        autoFocus
        aria-label={`Search in ${label}`}
        value={wanted}
        onChange={(event) => {
          setWanted(event.target.value);
          setAt(-1);
        }}
        onKeyDown={(event) => {
          if (event.key === 'Escape') setOpen(false);
          else if (event.key === 'Enter' && found.length > 0) go(at + (event.shiftKey ? -1 : 1));
          else return;
          event.preventDefault();
          event.stopPropagation();
        }}
        className={cn(inputLook, 'h-6 w-36 text-xs')}
      />
      <span className="text-dim text-xs tabular-nums" role="status">
        {wanted.trim() === ''
          ? 'Enter finds the next'
          : at >= 0 && found.length > 0
            ? `${at + 1} of ${found.length}`
            : count(found.length, 'line')}
      </span>
    </span>
  );
}
