import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { Switch } from '@/ui/Switch';
import { TextArea } from '@/ui/TextArea';
import { pathProposal } from './callProposal';
import type { Faults, MappingDraft } from './mappingDraft';

interface Props {
  draft: MappingDraft;
  faults: Faults;
  change(part: Partial<MappingDraft>): void;
  isNew: boolean;
}

export function CallForm({ draft, faults, change, isNew }: Props) {
  const proposal = pathProposal(draft.path);
  return (
    <>
      <Field
        label="Method"
        hint="One or several; empty for any"
        list="methods"
        value={draft.method}
        onChange={(event) => change({ method: event.target.value.toUpperCase() })}
        className="font-mono"
      />
      <datalist id="methods">
        {['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS'].map((method) => (
          <option key={method} value={method} />
        ))}
      </datalist>
      <Field
        label="Path"
        hint="Relative to the service; {name} stands for one segment"
        fault={faults.path}
        value={draft.path}
        onChange={(event) => change({ path: event.target.value })}
        className="font-mono"
      />
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
      <Field
        label="Operation"
        hint="Id of an operation of the contract, instead of a path or beside it"
        value={draft.operation}
        onChange={(event) => change({ operation: event.target.value.trim() })}
        className="font-mono"
      />
      <TextArea
        label="Where"
        value={draft.where}
        rows={Math.min(10, Math.max(2, draft.where.split('\n').length))}
        placeholder={'[{"query": "season", "equals": "winter"}]'}
        onChange={(where) => change({ where })}
        fault={faults.where}
        hint="Conditions on query, header, cookie, form, part, body (JSONPath), xml (XPath), graphql, as JSON"
      />
      <Field
        label="If"
        hint={'An expression that must be true: call.path.number.startsWith("N")'}
        value={draft.when}
        onChange={(event) => change({ when: event.target.value })}
        className="font-mono"
      />
      <Field label="Title" value={draft.title} onChange={(event) => change({ title: event.target.value })} />
      <Field
        label="Labels"
        hint="Free words to select by"
        value={draft.labels}
        onChange={(event) => change({ labels: event.target.value })}
      />
      <Field
        label="Id"
        hint={isNew ? 'Left empty, it is made from method and path' : 'The id of a mapping stays'}
        fault={faults.id}
        value={draft.id}
        disabled={!isNew}
        onChange={(event) => change({ id: event.target.value })}
      />
      <Field
        label="Rank"
        hint="Of mappings that fit the same call the highest wins"
        type="number"
        value={draft.rank}
        onChange={(event) => change({ rank: Math.trunc(event.target.valueAsNumber) || 0 })}
      />
      <Switch
        label="Answers calls"
        checked={draft.enabled}
        onCheckedChange={(enabled) => change({ enabled })}
      />
    </>
  );
}
