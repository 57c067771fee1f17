import { useStatus } from '@/api/status';
import { withValue } from '@/lib/yamlText';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Select } from '@/ui/Select';
import { shapeOf } from './changesDraft';
import { ServiceChangesForm } from './ServiceChangesForm';

interface Props {
  /** The document, in YAML. */
  text: string;
  onChange(text: string): void;
  /** The scenarios that it may build on; none for a lane, which has no name to change either. */
  others?: string[];
}

/** What a scenario or a lane changes, service by service: a view of its document. */
export function ChangesForm({ text, onChange, others }: Props) {
  const { data: status } = useStatus();
  const shape = shapeOf(text);
  if (!shape) {
    return <ProblemNotice message="The form cannot show this document; it is edited as a document." />;
  }
  const put = (key: string, value: string) => onChange(withValue(text, [key], value));
  const names = [...new Set([...Object.keys(status?.modes ?? {}), ...Object.keys(shape.services)])].sort();
  return (
    <div className="space-y-4">
      {others && (
        <div className="grid grid-cols-2 gap-3">
          <Field label="Name" value={shape.name ?? ''} onChange={(e) => put('name', e.target.value)} />
          <Field label="Title" value={shape.title ?? ''} onChange={(e) => put('title', e.target.value)} />
          <Select
            label="Builds on"
            value={shape.buildsOn ?? ''}
            onChange={(name) => put('buildsOn', name)}
            options={[['', 'nothing else'], ...others.map((name): [string, string] => [name, name])]}
          />
        </div>
      )}
      {names.map((name) => (
        <ServiceChangesForm
          key={name}
          service={name}
          shape={shape.services[name] ?? {}}
          text={text}
          onChange={onChange}
        />
      ))}
    </div>
  );
}
