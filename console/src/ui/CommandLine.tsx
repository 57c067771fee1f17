import { CopyButton } from './CopyButton';

/** The command that does what the page does, to copy. */
export function CommandLine({ command }: { command: string }) {
  return (
    <div className="flex max-w-full items-center gap-1 rounded bg-sunken py-1 pr-1 pl-2.5">
      <code tabIndex={0} className="overflow-x-auto whitespace-pre text-xs">
        {command}
      </code>
      <CopyButton text={command} what="command" />
    </div>
  );
}
