import { Select } from '@/ui/Select';
import type { Existing, Making } from './queries';

const choices: [Existing, string][] = [
  ['', 'replace what a recording made, keep what was edited'],
  ['keep', 'keep'],
  ['replace', 'replace'],
  ['follow', 'put the new answers behind the old ones'],
];

const chosen = (value: string) => choices.find(([choice]) => choice === value)?.[0] || undefined;

/** What becomes of mappings that ask for the same, and whether look-alikes become one. */
export function MakingFields({ how, change }: { how: Making; change(next: Making): void }) {
  return (
    <div className="flex flex-wrap items-end gap-4 text-[13px]">
      <Select
        label="Mappings that ask for the same"
        value={how.existing ?? ''}
        options={choices}
        onChange={(existing) => change({ ...how, existing: chosen(existing) })}
      />
      <Select
        label="Pauses of streams"
        value={how.pace ?? 'none'}
        options={[
          ['none', 'none'],
          ['recorded', 'as recorded'],
          ['2x', 'twice as fast'],
        ]}
        onChange={(pace) => change({ ...how, pace: pace === 'none' ? undefined : pace })}
      />
      <label className="inline-flex items-center gap-1.5 pb-1.5">
        <input
          type="checkbox"
          checked={how.fold ?? false}
          onChange={(event) => change({ ...how, fold: event.target.checked || undefined })}
        />
        One mapping for paths whose answers differ only by a value in them
      </label>
    </div>
  );
}
