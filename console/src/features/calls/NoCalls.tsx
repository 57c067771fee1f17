import { useStatus } from '@/api/status';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';

/** Stands where there is no call to show, and says why. */
export function NoCalls({ filtered, onClear }: { filtered: boolean; onClear(): void }) {
  const status = useStatus();
  if (filtered) {
    return (
      <div className="px-5 py-8">
        <p className="mb-3">No call in the log is one of these.</p>
        <Button onClick={onClear}>Clear the filter</Button>
      </div>
    );
  }
  return (
    <div className="max-w-[640px] space-y-3 px-5 py-8">
      <p className="font-medium text-base">No call was received yet.</p>
      <p className="text-dim">
        Point your program at the address of a service. Calls show up here within a quarter of a second. Some
        programs read their settings only once: start them again.
      </p>
      {status.data && <CommandLine command={`curl ${status.data.traffic}/`} />}
    </div>
  );
}
