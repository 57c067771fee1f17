import type { Trial } from '@/api/types';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { Switch } from '@/ui/Switch';
import { pathProposal } from './callProposal';
import type { Faults, MappingDraft } from './mappingDraft';
import { WhereForm } from './WhereForm';

interface Props {
  draft: MappingDraft;
  faults: Faults;
  change(part: Partial<MappingDraft>): void;
  isNew: boolean;
  trial?: Trial;
  /** A call like those that are meant; '' for none. */
  like: string;
}

export function CallForm({ draft, faults, change, isNew, trial, like }: Props) {
  const proposal = pathProposal(draft.path);
  return (
    <>
      <div className="grid grid-cols-[92px_minmax(0,1fr)] gap-2">
        <Field
          label="Method"
          hint="Empty for any"
          list="methods"
          value={draft.method}
          onChange={(event) => change({ method: event.target.value.toUpperCase() })}
          className="font-mono"
        />
        <Field
          label="Path"
          hint="Relative to the service; {name} is one segment"
          fault={faults.path}
          value={draft.path}
          onChange={(event) => change({ path: event.target.value })}
          className="font-mono"
        />
      </div>
      <datalist id="methods">
        {['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS'].map((method) => (
          <option key={method} value={method} />
        ))}
      </datalist>
      {proposal && (
        <Button
          look="bare"
          className="-mt-3 h-6 px-0 text-accent"
          onClick={() => change({ path: proposal })}
          title="Let parts that look like the name of a single thing be any"
        >
          For any: <span className="font-mono">{proposal}</span>
        </Button>
      )}
      <WhereForm
        where={draft.where}
        fault={faults.where}
        trial={trial}
        like={like}
        onChange={(where) => change({ where })}
      />
      <Field
        label="If"
        hint={'An expression that must be true: call.path.number.startsWith("N")'}
        value={draft.when}
        onChange={(event) => change({ when: event.target.value })}
        className="font-mono"
      />
      <Field
        label="Operation"
        hint="Of the contract, by its id: instead of a path or beside it"
        value={draft.operation}
        onChange={(event) => change({ operation: event.target.value.trim() })}
        className="font-mono"
      />
      <Field label="Title" value={draft.title} onChange={(event) => change({ title: event.target.value })} />
      <div className="grid grid-cols-[minmax(0,1fr)_92px] gap-2">
        <Field
          label="Id"
          hint={isNew ? 'Empty: made from method and path' : 'The id of a mapping stays'}
          fault={faults.id}
          value={draft.id}
          disabled={!isNew}
          onChange={(event) => change({ id: event.target.value })}
        />
        <Field
          label="Rank"
          hint="Highest wins"
          type="number"
          value={draft.rank}
          onChange={(event) => change({ rank: Math.trunc(event.target.valueAsNumber) || 0 })}
        />
      </div>
      <Field
        label="Labels"
        hint="Free words to select by"
        value={draft.labels}
        onChange={(event) => change({ labels: event.target.value })}
      />
      <Switch
        label="Answers calls"
        checked={draft.enabled}
        onCheckedChange={(enabled) => change({ enabled })}
      />
    </>
  );
}
