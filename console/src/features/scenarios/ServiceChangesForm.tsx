import { useId, useState } from 'react';
import { keys } from '@/api/keys';
import { withValue } from '@/lib/yamlText';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { ExampleAdder, MappingAdder } from './ChangeAdders';
import {
  besideOf,
  type ServiceShape,
  type State,
  stateOf,
  type Trouble,
  troubleOf,
  withState,
  withTrouble,
} from './changesDraft';
import { TakeOut } from './TakeOut';

interface Props {
  service: string;
  shape: ServiceShape;
  text: string;
  onChange(text: string): void;
}

const states: [State, string][] = [
  ['', 'is as it is'],
  ['off', 'is switched off'],
  ['on', 'is switched on'],
  ['answer', 'answers'],
  ['relay', 'relays'],
];

const troubles: [Trouble, string, string][] = [
  ['latency', 'Latency', '200ms..900ms'],
  ['errors', 'Errors', '30%'],
  ['status', 'With status', '503, 429'],
];

/** What is changed in one service: its state, its examples, its mappings, its trouble. */
export function ServiceChangesForm({ service, shape, text, onChange }: Props) {
  const heading = useId();
  const at = keys.service(service);
  const beside = besideOf(shape);
  const off = shape.mappingsOff ?? [];
  return (
    <section aria-labelledby={heading} className="space-y-2 border-line border-t pt-3" data-changes={service}>
      <div className="flex flex-wrap items-center gap-3">
        <h3 id={heading} className="min-w-24 font-medium text-[13px]">
          {service}
        </h3>
        <Select
          label={`State of ${service}`}
          quiet
          value={stateOf(shape)}
          options={states}
          onChange={(state) => onChange(withState(text, service, state as State))}
        />
        <ExampleAdder
          service={service}
          onChoose={(operation, example) =>
            onChange(withValue(text, [...at, 'examples', operation], example))
          }
        />
        <MappingAdder
          service={service}
          off={off}
          onChoose={(id) => onChange(withValue(text, [...at, 'mappingsOff'], [...off, id]))}
        />
      </div>
      <ul className="text-[13px]">
        {Object.entries(shape.examples ?? {}).map(([operation, example]) => (
          <TakeOut
            key={operation}
            onPress={() => onChange(withValue(text, [...at, 'examples', operation], ''))}
          >
            {operation} answers with example “{example}”
          </TakeOut>
        ))}
        {off.map((id) => (
          <TakeOut
            key={id}
            onPress={() =>
              onChange(
                withValue(
                  text,
                  [...at, 'mappingsOff'],
                  off.filter((other) => other !== id),
                ),
              )
            }
          >
            mapping {id} does not answer
          </TakeOut>
        ))}
        {beside.map((line) => (
          <li key={line} className="py-0.5 text-dim">
            {line}, see the document
          </li>
        ))}
      </ul>
      <TroubleFields service={service} shape={shape} text={text} onChange={onChange} />
    </section>
  );
}

/** How slow a service is, and how often it fails. */
function TroubleFields({ service, shape, text, onChange }: Props) {
  const trouble = troubleOf(shape);
  return (
    <div className="grid grid-cols-3 gap-3">
      {troubles.map(([what, label, placeholder]) => (
        <TypedField
          key={what}
          label={label}
          placeholder={placeholder}
          value={trouble[what]}
          onType={(typed) => onChange(withTrouble(text, service, what, typed))}
        />
      ))}
    </div>
  );
}

interface TypedProps {
  label: string;
  placeholder: string;
  value: string;
  onType(typed: string): void;
}

/** A field that shows what was typed as long as it means the value: "503," is 503 already. */
function TypedField({ value, onType, ...field }: TypedProps) {
  const [typed, setTyped] = useState(value);
  return (
    <Field
      {...field}
      value={words(typed) === words(value) ? typed : value}
      onChange={(event) => {
        setTyped(event.target.value);
        onType(event.target.value);
      }}
    />
  );
}

const words = (text: string) =>
  text
    .split(/[\s,]+/)
    .filter(Boolean)
    .join(',');
