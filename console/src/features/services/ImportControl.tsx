import { Upload } from 'lucide-react';
import { useRef } from 'react';
import { Button } from '@/ui/Button';

interface Props {
  onFile(file: File): void;
  busy: boolean;
  /** What a file does here; on a service that has a contract it is a revision. */
  words?: string;
  look?: 'main' | 'plain';
}

export function ImportControl({ onFile, busy, words = 'Import a contract', look = 'main' }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept=".yaml,.yml,.json,.zip"
        className="sr-only"
        tabIndex={-1}
        aria-label="Contract file"
        onChange={(event) => {
          for (const file of event.target.files ?? []) onFile(file);
          event.target.value = '';
        }}
      />
      <Button look={look} disabled={busy} onClick={() => input.current?.click()}>
        <Upload size={14} aria-hidden />
        {busy ? 'Importing …' : words}
      </Button>
    </>
  );
}
