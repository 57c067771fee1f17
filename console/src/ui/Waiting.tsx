/** Stands where something is still being read. */
export function Waiting({ what }: { what: string }) {
  return (
    <p role="status" className="px-5 py-8 text-dim">
      Reading {what} …
    </p>
  );
}
