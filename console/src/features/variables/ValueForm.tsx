import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { readValue } from '@/lib/valueText';
import { Button } from '@/ui/Button';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Switch } from '@/ui/Switch';
import { type Place, useVariableChange } from './queries';
import { isSecret, type Said, type Table, textOf } from './variableTable';

interface Props {
  place: Place;
  table: Table;
  said: Said;
  onDone(): void;
}

/** Sets one variable, or takes it away. */
export function ValueForm({ place, table, said, onDone }: Props) {
  const [text, setText] = useState(textOf(said));
  const [secret, setSecret] = useState(isSecret(said));
  const change = useVariableChange(table);
  const save = (next: Said) => change.mutate({ ...place, said: next }, { onSuccess: onDone });
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        save(secret ? { secret: true, ...(text && { value: text }) } : readValue(text));
      }}
    >
      <Field
        label="New value"
        type={secret ? 'password' : 'text'}
        autoComplete="off"
        value={text}
        autoFocus
        onChange={(event) => setText(event.target.value)}
        className="w-full font-mono"
        hint={
          secret
            ? isSecret(said)
              ? 'Left empty, the value that is kept stays.'
              : 'At least 8 characters; kept encrypted, masked in every call.'
            : 'A number, true, false or other JSON as it is, all else as text.'
        }
      />
      <Switch label="Secret" checked={secret} onCheckedChange={setSecret} />
      {change.isError && <ProblemNotice message={wrongIn(change.error)} />}
      <div className="flex gap-2">
        <Button type="submit" look="main" disabled={change.isPending}>
          Save it
        </Button>
        {said !== undefined && (
          <Button look="danger" disabled={change.isPending} onClick={() => save(undefined)}>
            {place.set ? `Take it out of ${place.set}` : 'Remove'}
          </Button>
        )}
      </div>
    </form>
  );
}
