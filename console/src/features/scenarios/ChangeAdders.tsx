import { useQuery } from '@tanstack/react-query';
import { mappingList } from '@/api/mappings';
import { operationList } from '@/api/operations';
import { Select } from '@/ui/Select';

/** Chooses an example of an operation that has several. */
export function ExampleAdder({
  service,
  onChoose,
}: {
  service: string;
  onChoose(operation: string, example: string): void;
}) {
  const { data } = useQuery(operationList(service));
  const choices = (data?.items ?? []).flatMap(({ id, examples = [] }) =>
    examples.length > 1 ? examples.map(({ name, status }) => ({ id, name, status })) : [],
  );
  if (choices.length === 0) return null;
  return (
    <Select
      label={`Example to choose in ${service}`}
      quiet
      className="w-40"
      value=""
      onChange={(value) => {
        const choice = choices.find((each) => wordsOf(each) === value);
        if (choice) onChoose(choice.id, choice.name);
      }}
      options={[
        ['', 'An example …'],
        ...choices.map((choice): [string, string] => [
          wordsOf(choice),
          `${wordsOf(choice)} (${choice.status})`,
        ]),
      ]}
    />
  );
}

const wordsOf = ({ id, name }: { id: string; name: string }) => `${id}: ${name}`;

/** Chooses a mapping that shall not answer. */
export function MappingAdder({
  service,
  off,
  onChoose,
}: {
  service: string;
  off: string[];
  onChoose(id: string): void;
}) {
  const { data } = useQuery(mappingList(service, ''));
  const ids = (data?.items ?? []).map(({ id }) => id).filter((id) => !off.includes(id));
  if (ids.length === 0) return null;
  return (
    <Select
      label={`Mapping to switch off in ${service}`}
      quiet
      className="w-40"
      value=""
      onChange={onChoose}
      options={[['', 'A mapping off …'], ...ids.map((id): [string, string] => [id, id])]}
    />
  );
}
