import { Search } from 'lucide-react';
import { inputLook } from '@/ui/Field';
import { Select } from '@/ui/Select';
import type { AnswerFilter, Grouping } from './answerRows';

interface Props {
  filter: AnswerFilter;
  grouping: Grouping;
  /** Those that operations and mappings have. */
  methods: string[];
  onFilter(change: Partial<AnswerFilter>): void;
  onGrouping(by: Grouping): void;
}

/** What of all that a service answers is shown. */
export function AnswerFilterBar({ filter, grouping, methods, onFilter, onGrouping }: Props) {
  return (
    <>
      <label className="relative">
        <span className="sr-only">Filter answers</span>
        <Search size={14} aria-hidden className="absolute top-2 left-2.5 text-dim" />
        <input
          type="search"
          placeholder="path, id, words, label:night, problem:"
          value={filter.text}
          onChange={(event) => onFilter({ text: event.target.value })}
          className={`${inputLook} w-64 pl-8`}
        />
      </label>
      <Select
        quiet
        label="Method"
        value={filter.method}
        onChange={(method) => onFilter({ method })}
        options={[['', 'any method'], ...methods.map((one): [string, string] => [one, one])]}
      />
      <Select
        quiet
        label="Answered by"
        value={filter.by}
        onChange={(by) => onFilter({ by: by as AnswerFilter['by'] })}
        options={[
          ['', 'answered by anything'],
          ['mapping', 'by mappings'],
          ['contract', 'by the contract'],
          ['nothing', 'by nothing'],
        ]}
      />
      <Select
        quiet
        label="Noticed"
        value={filter.only}
        onChange={(only) => onFilter({ only: only as AnswerFilter['only'] })}
        options={[
          ['', 'called or not'],
          ['deviating', 'that deviate'],
          ['never', 'never called'],
        ]}
      />
      <Select
        quiet
        label="Group by"
        value={grouping}
        onChange={(by) => onGrouping(by as Grouping)}
        options={[
          ['tag', 'by tag'],
          ['path', 'by path'],
        ]}
      />
    </>
  );
}
