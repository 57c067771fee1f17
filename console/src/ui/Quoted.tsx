/** Text in which `parts` of a call stand in backquotes, as the service writes it. */
export function Quoted({ text }: { text: string }) {
  return text.split('`').map((part, i) =>
    i % 2 === 1 ? (
      // biome-ignore lint/suspicious/noArrayIndexKey: the parts of a text never move
      <code key={i} className="rounded-sm bg-sunken px-1 text-[0.9em] text-ink">
        {part}
      </code>
    ) : (
      part
    ),
  );
}
