import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { word } from '@/lib/shell';
import { readValue } from '@/lib/valueText';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field } from '@/ui/Field';
import { Switch } from '@/ui/Switch';
import { useVariableChange } from './queries';
import type { Table } from './variableTable';

interface Props {
  service: string;
  table: Table;
  sets: string[];
}

/** Sets another variable, in a set that may be new. */
export function AddVariable({ service, table, sets }: Props) {
  const [name, setName] = useState('');
  const [text, setText] = useState('');
  const [set, setSet] = useState('');
  const [secret, setSecret] = useState(false);
  const change = useVariableChange(table);
  const given = name.trim();
  const value = secret ? `${word(given || 'NAME')} --secret` : word(`${given || 'NAME'}=${text || 'VALUE'}`);
  const where = `${set && ` --in-set ${word(set)}`}${service && ` --service ${word(service)}`}`;
  return (
    <form
      className="space-y-2 px-5 py-3"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(
          {
            service,
            set: set.trim(),
            name: given,
            said: secret ? { secret: true, value: text } : readValue(text),
          },
          {
            onSuccess: () => {
              setName('');
              setText('');
            },
          },
        );
      }}
    >
      <div className="flex flex-wrap items-start gap-3">
        <Field
          label="Name"
          value={name}
          placeholder="office"
          onChange={(event) => {
            setName(event.target.value);
            change.reset();
          }}
          fault={change.error ? wrongIn(change.error) : undefined}
          className="w-48 font-mono"
        />
        <Field
          label="Value"
          type={secret ? 'password' : 'text'}
          autoComplete="off"
          value={text}
          placeholder="https://office.skerry.test"
          onChange={(event) => setText(event.target.value)}
          className="w-80 font-mono"
        />
        <Field
          label="In set; empty for always"
          value={set}
          list="variable-sets"
          onChange={(event) => setSet(event.target.value)}
          className="w-40"
        />
        <datalist id="variable-sets">
          {sets.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        <span className="mt-6">
          <Switch label="Secret" checked={secret} onCheckedChange={setSecret} />
        </span>
        <Button look="main" type="submit" className="mt-5" disabled={!given || change.isPending}>
          Set it
        </Button>
      </div>
      <CommandLine command={`rapidmimic variables set ${value}${where}`} />
    </form>
  );
}
