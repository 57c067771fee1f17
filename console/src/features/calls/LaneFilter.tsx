import { noLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import { Select } from '@/ui/Select';

/** Stands for all calls, in lanes or not. */
export const everyLane = 'all';

interface Props {
  lane: string;
  mine: string;
  onChange(lane: string): void;
}

/** Narrows the calls to those of a lane. Not shown where nobody uses lanes. */
export function LaneFilter({ lane, mine, onChange }: Props) {
  const { data } = useStatus();
  const names = new Set([...(data?.lanes ?? []), mine, lane]);
  for (const word of ['', everyLane, noLane]) names.delete(word);
  if (names.size === 0 && lane === everyLane) return null;
  return (
    <Select
      label="Lane"
      quiet
      value={lane}
      onChange={onChange}
      options={[
        [everyLane, 'in any lane or none'],
        [noLane, 'in no lane'],
        ...[...names].map((name): [string, string] => [
          name,
          name === mine ? `my lane, ${name}` : `lane ${name}`,
        ]),
      ]}
    />
  );
}
