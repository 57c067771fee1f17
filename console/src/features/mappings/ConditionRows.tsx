import { Plus, X } from 'lucide-react';
import { useId } from 'react';
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
    <div className="space-y-2">
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
}

function Items({ id, items, at, seen, holds, onChange }: ItemsProps) {
  return (
    <ul className="space-y-2">
      {items.map((item, i) => {
        const here = [...at, i];
        const change = (next: Item | null) => onChange(here, next);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: conditions have no names, and their fields keep no state
          <li key={i} data-condition={here.join('.')} className="rounded border border-line bg-panel p-1.5">
            {isGroup(item) ? (
              <GroupRow group={item} holds={holds(i)} onChange={change}>
                <Items id={id} items={item.rows} at={here} seen={seen} holds={() => ''} onChange={onChange} />
              </GroupRow>
            ) : (
              <ConditionRow id={id} row={item} seen={seen} holds={holds(i)} onChange={change} />
            )}
          </li>
        );
      })}
    </ul>
  );
}

interface GroupRowProps {
  group: Group;
  holds: string;
  onChange(next: Group | null): void;
  children: React.ReactNode;
}

function GroupRow({ group, holds, onChange, children }: GroupRowProps) {
  return (
    <div className="space-y-2">
      <div className="flex items-center gap-2">
        <Select
          quiet
          label="What must hold of the group"
          value={group.kind}
          onChange={(kind) => onChange({ ...group, kind: kind as GroupKind })}
          options={kinds}
          className="h-7"
        />
        <span className="ml-auto text-dim text-xs">{holds}</span>
        <TakeOut what="the group" onClick={() => onChange(null)} />
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
  onChange(next: Row | null): void;
}

function ConditionRow({ id, row, seen, holds, onChange }: ConditionRowProps) {
  const set = (change: Partial<Row>) => onChange({ ...row, ...change });
  const [, , nameHint] = parts.find(([part]) => part === row.part) ?? parts[0];
  const value = seen[row.part]?.get(row.name);
  const kind = kindOf(row.test);
  const small = cn(inputLook, 'h-7 min-w-0 font-mono text-xs');
  return (
    <div className="grid grid-cols-[112px_minmax(0,1fr)_24px] gap-1.5">
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
      <TakeOut what="the condition" onClick={() => onChange(null)} />
      {row.part === 'only' && (
        <>
          <span className="self-center pl-1 text-xs">except</span>
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
        <p className={cn('col-span-3 pl-1 text-dim text-xs', /holds on 0 /.test(holds) && 'text-miss')}>
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
