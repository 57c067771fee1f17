import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { TextArea } from '@/ui/TextArea';
import {
  type AnswerDraft,
  type AnswerFaults,
  hasMemory,
  hasNames,
  headerLine,
  rememberedLine,
} from './answerDraft';
import { AddLine, RemoveLine } from './LineButtons';

interface Props {
  draft: AnswerDraft;
  faults: AnswerFaults;
  change(part: Partial<AnswerDraft>): void;
}

/** What an answer does beside what it sends: it names values, has the service remember some, and makes calls. */
export function AnswerExtras({ draft, faults, change }: Props) {
  const { names, remembered, callbacks } = draft;
  const given = names.length + remembered.length > 0 || callbacks !== '';
  return (
    <details open={given} className="text-[13px]">
      <summary className="cursor-pointer">Named values, memory, and calls made afterwards</summary>
      <div className="mt-2 space-y-4">
        {hasNames(draft) && (
          <NamedValues names={names} fault={faults.names} onChange={(now) => change({ names: now })} />
        )}
        {hasMemory(draft) && (
          <Remembered
            lines={remembered}
            fault={faults.remembered}
            onChange={(now) => change({ remembered: now })}
          />
        )}
        <TextArea
          label="Calls made after the answer, in JSON"
          hint={
            <>
              Where the service makes callbacks: a list such as{' '}
              <code>
                {'[{"to": "${call.body.callbackUrl}", "after": "2s", "json": {"state": "booked"}}]'}
              </code>
              ; [] for none, empty for those of the contract
            </>
          }
          fault={faults.callbacks}
          value={callbacks}
          rows={callbacks ? 5 : 2}
          onChange={(now) => change({ callbacks: now })}
        />
      </div>
    </details>
  );
}

/** A line was changed, by its key. */
const put = <T extends { key: number }>(lines: T[], key: number, part: Partial<T>) =>
  lines.map((line) => (line.key === key ? { ...line, ...part } : line));

const without = <T extends { key: number }>(lines: T[], key: number) =>
  lines.filter((line) => line.key !== key);

const Fault = ({ text }: { text?: string }) =>
  text ? (
    <p role="alert" className="text-bad text-xs">
      {text}
    </p>
  ) : null;

interface NamedProps {
  names: AnswerDraft['names'];
  fault?: string;
  onChange(names: AnswerDraft['names']): void;
}

/** Values that the rest of the answer uses by their names. */
function NamedValues({ names, fault, onChange }: NamedProps) {
  return (
    <fieldset>
      <legend className="mb-1 font-medium text-dim text-xs">
        Named values, worked out once for a call; the answer uses them as {'${NAME}'}
      </legend>
      <div className="space-y-1.5">
        {names.map(({ key, name, value }) => (
          <div key={key} className="flex gap-1.5">
            <input
              aria-label="Name of a value"
              placeholder="name"
              value={name}
              onChange={(event) => onChange(put(names, key, { name: event.target.value.trim() }))}
              className={cn(inputLook, 'w-36 font-mono')}
            />
            <input
              aria-label={`What ${name || 'the name'} stands for`}
              placeholder="${call.body.nights * 12}"
              value={value}
              onChange={(event) => onChange(put(names, key, { value: event.target.value }))}
              className={cn(inputLook, 'min-w-0 flex-1 font-mono')}
            />
            <RemoveLine what={name || 'the name'} onPress={() => onChange(without(names, key))} />
          </div>
        ))}
        <AddLine label="Name a value" onPress={() => onChange([...names, headerLine()])} />
        <Fault text={fault} />
      </div>
    </fieldset>
  );
}

interface RememberedProps {
  lines: AnswerDraft['remembered'];
  fault?: string;
  onChange(lines: AnswerDraft['remembered']): void;
}

/** What the service keeps in its memory when it gives the answer. */
function Remembered({ lines, fault, onChange }: RememberedProps) {
  return (
    <fieldset>
      <legend className="mb-1 font-medium text-dim text-xs">
        Remembered when it is given; recall("KEY") gives it in conditions and answers
      </legend>
      <div className="space-y-1.5">
        {lines.map((line) => {
          const set = (part: Partial<typeof line>) => onChange(put(lines, line.key, part));
          const called = line.name || 'the key';
          return (
            <div key={line.key} className="flex flex-wrap gap-1.5">
              <input
                aria-label="Key that is remembered"
                placeholder="booking ${call.path.number}"
                value={line.name}
                onChange={(event) => set({ name: event.target.value })}
                className={cn(inputLook, 'w-44 font-mono')}
              />
              <select
                aria-label={`What becomes of ${called}`}
                value={line.how}
                onChange={(event) => set({ how: event.target.value as typeof line.how })}
                className={inputLook}
              >
                <option value="value">is</option>
                <option value="append">gets one more</option>
                <option value="forget">is forgotten</option>
              </select>
              {line.how !== 'forget' && (
                <>
                  <input
                    aria-label={`Value of ${called}`}
                    placeholder="${call.body}"
                    value={line.value}
                    onChange={(event) => set({ value: event.target.value })}
                    className={cn(inputLook, 'min-w-40 flex-1 font-mono')}
                  />
                  <input
                    aria-label={`How long ${called} is remembered`}
                    placeholder="for good"
                    title="How long, such as 10m; empty for good"
                    value={line.for}
                    onChange={(event) => set({ for: event.target.value })}
                    className={cn(inputLook, 'w-20 font-mono')}
                  />
                </>
              )}
              <RemoveLine what={called} onPress={() => onChange(without(lines, line.key))} />
            </div>
          );
        })}
        <AddLine label="Remember a value" onPress={() => onChange([...lines, rememberedLine()])} />
        <Fault text={fault} />
      </div>
    </fieldset>
  );
}
