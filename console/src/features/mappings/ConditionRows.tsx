import { GripVertical, Plus, X } from 'lucide-react';
import { type DragEvent, type ReactNode, useId, useState } from 'react';
import type { Trial } from '@/api/types';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { Select } from '@/ui/Select';
import {
  type Group,
  type GroupKind,
  type Item,
  isGroup,
  kindOf,
  moveItem,
  newRow,
  parts,
  type Row,
  replaceItem,
  testless,
  tests,
} from './conditionRows';
import type { Seen } from './seenInCall';

interface Props {
  items: Item[];
  onChange(items: Item[]): void;
  /** On how many recent calls each holds. */
  trial?: Trial;
  seen: Seen;
}

const kinds: [GroupKind, string][] = [
  ['any', 'one of these at least'],
  ['all', 'all of these'],
  ['none', 'none of these'],
];

const types = ['string', 'number', 'integer', 'boolean', 'object', 'array', 'null'];

/** What must hold of a call beside method and path, a row a condition. */
export function ConditionRows({ items, onChange, trial, seen }: Props) {
  const id = useId();
  return (
    <div className="space-y-2" data-conditions>
      {Object.entries(seen).map(([part, values]) => (
        <datalist key={part} id={`${id}-${part}`}>
          {[...values.keys()].map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      ))}
      <Items
        id={id}
        items={items}
        at={[]}
        seen={seen}
        holds={(i) => holdsText(trial, i)}
        onChange={(at, next) => onChange(replaceItem(items, at, next))}
        onMove={(from, to) => onChange(moveItem(items, from, to))}
      />
      <AddItem onAdd={(item) => onChange([...items, item])} />
    </div>
  );
}

/** On how many of the calls that ask for the rest a condition holds. */
function holdsText(trial: Trial | undefined, at: number): string {
  const holding = trial?.holding?.[at];
  return trial && holding !== undefined && trial.asked > 0 ? `holds on ${holding} of ${trial.asked}` : '';
}

interface ItemsProps {
  id: string;
  items: Item[];
  /** The places that lead to them. */
  at: number[];
  seen: Seen;
  holds(i: number): string;
  onChange(at: number[], next: Item | null): void;
  /** Moves one before another place. */
  onMove(from: number[], to: number[]): void;
}

/** What is dragged, as text: the places that lead to a condition. */
const dragged = 'application/x-condition';

function Items({ id, items, at, seen, holds, onChange, onMove }: ItemsProps) {
  const [over, setOver] = useState<number>();
  return (
    <ul className="space-y-2">
      {items.map((item, i) => {
        const here = [...at, i];
        const change = (next: Item | null) => onChange(here, next);
        const grip = (
          <Grip
            at={here}
            onUp={i > 0 ? () => onMove(here, [...at, i - 1]) : undefined}
            onDown={i < items.length - 1 ? () => onMove(here, [...at, i + 2]) : undefined}
          />
        );
        return (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: conditions have no names, and their fields keep no state
            key={i}
            data-condition={here.join('.')}
            onDragOver={(event) => {
              if (!event.dataTransfer.types.includes(dragged)) return;
              event.preventDefault();
              event.stopPropagation();
              setOver(behindMiddle(event) ? i + 1 : i);
            }}
            onDragLeave={() => setOver(undefined)}
            onDrop={(event) => {
              const from = event.dataTransfer.getData(dragged);
              setOver(undefined);
              if (!from) return;
              event.preventDefault();
              event.stopPropagation();
              onMove(from.split('.').map(Number), [...at, behindMiddle(event) ? i + 1 : i]);
            }}
            className={cn(
              'rounded border border-line bg-panel p-1.5',
              over === i && 'shadow-[0_-3px_0_var(--accent)]',
              over === i + 1 && 'shadow-[0_3px_0_var(--accent)]',
            )}
          >
            {isGroup(item) ? (
              <GroupRow group={item} holds={holds(i)} place={placeText(here)} grip={grip} onChange={change}>
                <Items
                  id={id}
                  items={item.rows}
                  at={here}
                  seen={seen}
                  holds={() => ''}
                  onChange={onChange}
                  onMove={onMove}
                />
              </GroupRow>
            ) : (
              <ConditionRow
                id={id}
                row={item}
                seen={seen}
                holds={holds(i)}
                place={placeText(here)}
                grip={grip}
                onChange={change}
              />
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** Whether something is held over the lower half of an element. */
function behindMiddle({ currentTarget, clientY }: DragEvent<HTMLElement>): boolean {
  const { top, height } = currentTarget.getBoundingClientRect();
  return clientY > top + height / 2;
}

/** Where a condition stands, as people count: 1, 2.1. */
const placeText = (at: number[]) => at.map((i) => i + 1).join('.');

/** By what a condition is dragged, or moved with the arrow keys. */
function Grip({ at, onUp, onDown }: { at: number[]; onUp?(): void; onDown?(): void }) {
  return (
    <button
      type="button"
      draggable
      data-grip={at.join('.')}
      aria-label={`Move condition ${placeText(at)}`}
      title="Drag it, or press arrow up or down"
      onDragStart={(event) => event.dataTransfer.setData(dragged, at.join('.'))}
      onKeyDown={(event) => {
        const move = event.key === 'ArrowUp' ? onUp : event.key === 'ArrowDown' ? onDown : undefined;
        if (!move) return;
        event.preventDefault();
        move();
        const next = [...at.slice(0, -1), (at.at(-1) ?? 0) + (event.key === 'ArrowUp' ? -1 : 1)];
        const rows = event.currentTarget.closest('[data-conditions]');
        requestAnimationFrame(() =>
          // where it is now
          rows?.querySelector<HTMLElement>(`[data-grip="${next.join('.')}"]`)?.focus(),
        );
      }}
      className="flex h-7 cursor-grab items-center text-dim"
    >
      <GripVertical size={14} aria-hidden />
    </button>
  );
}

interface GroupRowProps {
  group: Group;
  holds: string;
  /** Where it stands: 2.1. */
  place: string;
  grip: ReactNode;
  onChange(next: Group | null): void;
  children: ReactNode;
}

function GroupRow({ group, holds, place, grip, onChange, children }: GroupRowProps) {
  return (
    <div className="space-y-2">
      <div className="flex items-center gap-1.5">
        {grip}
        <Select
          quiet
          label="What must hold of the group"
          value={group.kind}
          onChange={(kind) => onChange({ ...group, kind: kind as GroupKind })}
          options={kinds}
          className="h-7"
        />
        <span className="ml-auto text-dim text-xs">{holds}</span>
        <TakeOut what={`group ${place}`} onClick={() => onChange(null)} />
      </div>
      <div className="space-y-2 pl-3">
        {children}
        <AddItem onAdd={(item) => onChange({ ...group, rows: [...group.rows, item] })} />
      </div>
    </div>
  );
}

interface ConditionRowProps {
  id: string;
  row: Row;
  seen: Seen;
  holds: string;
  /** Where it stands: 2.1. */
  place: string;
  grip: ReactNode;
  onChange(next: Row | null): void;
}

function ConditionRow({ id, row, seen, holds, place, grip, onChange }: ConditionRowProps) {
  const set = (change: Partial<Row>) => onChange({ ...row, ...change });
  const [, , nameHint] = parts.find(([part]) => part === row.part) ?? parts[0];
  const value = seen[row.part]?.get(row.name);
  const kind = kindOf(row.test);
  const small = cn(inputLook, 'h-7 min-w-0 font-mono text-xs');
  return (
    <div className="grid grid-cols-[14px_112px_minmax(0,1fr)_24px] gap-1.5">
      {grip}
      <Select
        quiet
        label="Part"
        value={row.part}
        onChange={(part) => set({ part: part as Row['part'], name: part === 'text' ? '' : row.name })}
        options={parts.map(([part, words]) => [part, words])}
        className="h-7 text-xs"
      />
      {nameHint ? (
        <input
          aria-label="Name"
          placeholder={nameHint}
          value={row.name}
          list={`${id}-${row.part}`}
          onChange={(event) => set({ name: event.target.value })}
          className={small}
        />
      ) : (
        <span />
      )}
      <TakeOut what={`condition ${place}`} onClick={() => onChange(null)} />
      {row.part === 'only' && (
        <>
          <span className="col-start-2 self-center pl-1 text-xs">except</span>
          <input
            aria-label="Except"
            placeholder="names, between commas"
            value={row.except}
            onChange={(event) => set({ except: event.target.value })}
            className={small}
          />
        </>
      )}
      {!testless(row.part) && (
        <>
          <span className="col-start-1" />
          <Select
            quiet
            label="Test"
            value={row.test}
            onChange={(test) => set({ test: test as Row['test'] })}
            options={tests.map(([test, words]) => [test, words])}
            className="h-7 text-xs"
          />
          {kind === 'none' ? (
            <span />
          ) : (
            <input
              aria-label="Value"
              placeholder={value === undefined ? '' : `${value} in a recent call`}
              value={row.value}
              list={row.test === 'type' ? `${id}-types` : undefined}
              onChange={(event) => set({ value: event.target.value })}
              className={small}
            />
          )}
        </>
      )}
      {row.test === 'type' && (
        <datalist id={`${id}-types`}>
          {types.map((type) => (
            <option key={type} value={type} />
          ))}
        </datalist>
      )}
      {(holds || row.except) && (
        <p
          className={cn(
            'col-span-3 col-start-2 pl-1 text-dim text-xs',
            /holds on 0 /.test(holds) && 'text-miss',
          )}
        >
          {row.part !== 'only' && row.except && <span>except {row.except}. </span>}
          {holds}
        </p>
      )}
    </div>
  );
}

function TakeOut({ what, onClick }: { what: string; onClick(): void }) {
  return (
    <Button look="bare" className="h-7 px-1" aria-label={`Take ${what} out`} onClick={onClick}>
      <X size={14} aria-hidden />
    </Button>
  );
}

function AddItem({ onAdd }: { onAdd(item: Item): void }) {
  return (
    <span className="flex gap-1">
      <Button look="bare" className="h-6 px-1 text-xs" onClick={() => onAdd(newRow())}>
        <Plus size={13} aria-hidden /> Condition
      </Button>
      <Button
        look="bare"
        className="h-6 px-1 text-xs"
        onClick={() => onAdd({ kind: 'any', rows: [newRow()] })}
      >
        <Plus size={13} aria-hidden /> Group
      </Button>
    </span>
  );
}
