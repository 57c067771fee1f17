import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { type AnswerDraft, headerLine } from './answerDraft';
import { AddLine, RemoveLine } from './LineButtons';

interface Props {
  headers: AnswerDraft['headers'];
  onChange(headers: AnswerDraft['headers']): void;
}

/** The headers of an answer; a name may stand on several lines. */
export function HeaderLines({ headers, onChange }: Props) {
  const set = (key: number, part: { name?: string; value?: string }) =>
    onChange(headers.map((h) => (h.key === key ? { ...h, ...part } : h)));
  return (
    <fieldset className="min-w-0 flex-1">
      <legend className="mb-1 font-medium text-dim text-xs">Headers</legend>
      <div className="space-y-1.5">
        {headers.map((header) => (
          <div key={header.key} className="flex gap-1.5">
            <input
              aria-label="Header name"
              value={header.name}
              onChange={(event) => set(header.key, { name: event.target.value })}
              className={cn(inputLook, 'w-44 font-mono')}
            />
            <input
              aria-label={`Value of ${header.name || 'the header'}`}
              value={header.value}
              onChange={(event) => set(header.key, { value: event.target.value })}
              className={cn(inputLook, 'min-w-0 flex-1 font-mono')}
            />
            <RemoveLine
              what={header.name || 'the header'}
              onPress={() => onChange(headers.filter((h) => h.key !== header.key))}
            />
          </div>
        ))}
        <AddLine label="Add a header" onPress={() => onChange([...headers, headerLine()])} />
      </div>
    </fieldset>
  );
}
