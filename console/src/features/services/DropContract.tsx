import { type ReactNode, useState } from 'react';

interface Props {
  onFile(file: File): void;
  /** What happens to the file. */
  words: string;
  children: ReactNode;
}

/** Takes files that are dropped anywhere on a page. */
export function DropContract({ onFile, words, children }: Props) {
  const [over, setOver] = useState(false);
  return (
    <section
      aria-label="Services; drop a contract here"
      className="relative flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        for (const file of event.dataTransfer.files) onFile(file);
      }}
    >
      {children}
      {over && (
        <div className="pointer-events-none fixed inset-3 z-10 flex items-center justify-center rounded-lg border-2 border-accent border-dashed bg-panel/90">
          <p className="font-semibold text-lg">{words}</p>
        </div>
      )}
    </section>
  );
}
