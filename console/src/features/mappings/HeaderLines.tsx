import { Plus, X } from 'lucide-react';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { type AnswerDraft, headerLine } from './answerDraft';

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
            <Button
              look="bare"
              className="px-1.5"
              aria-label={`Remove ${header.name || 'the header'}`}
              onClick={() => onChange(headers.filter((h) => h.key !== header.key))}
            >
              <X size={14} aria-hidden />
            </Button>
          </div>
        ))}
        <Button look="bare" className="h-7 px-1.5" onClick={() => onChange([...headers, headerLine()])}>
          <Plus size={14} aria-hidden /> Add a header
        </Button>
      </div>
    </fieldset>
  );
}
