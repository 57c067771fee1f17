import { useMutation, useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import type { Scenario } from '@/api/types';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { DocumentEditor } from '@/ui/DocumentEditor';
import { notify } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { ChangesView } from './ChangesView';
import { putScenarios, removeScenario, scenarioList, scenarioText } from './queries';
import { useSituationRefresh } from './useSwitching';

const beginning = `name: my-scenario
# services:
#   SERVICE:
#     off: true                          switches the whole service off
#     examples: { OPERATION: EXAMPLE }   what an operation answers with
#     mappingsOff: [MAPPING]             mappings that do not answer
#     mappings: [ ... ]                  mappings that come before the others
#     impair: { latency: 2s }            slow or failing
`;

interface Props {
  /** Its name, '' for a new one. */
  name: string;
  /** As it is listed; missing for a new one. */
  scenario?: Scenario;
  onClose(): void;
  onOpen(name: string): void;
}

/** One scenario, as the document that files and the command line have. */
export function ScenarioEditor({ name, scenario, onClose, onOpen }: Props) {
  const query = useQuery({ ...scenarioText(name), enabled: name !== '' });
  return (
    <aside
      aria-label={name ? `Scenario ${name}` : 'A new scenario'}
      className="flex min-h-0 min-w-0 flex-col border-line border-l bg-panel"
    >
      <div className="flex items-center justify-between gap-2 px-5 pt-3">
        <h2 className="font-semibold text-[15px]">{name || 'A new scenario'}</h2>
        <Button look="bare" className="h-7 px-1.5" aria-label="Close the scenario" onClick={onClose}>
          <X size={16} aria-hidden />
        </Button>
      </div>
      {name ? (
        <Awaited query={query} what="the scenario">
          {(text) => (
            <Editing
              key={name}
              text={text}
              scenario={scenario}
              name={name}
              onClose={onClose}
              onOpen={onOpen}
            />
          )}
        </Awaited>
      ) : (
        <Editing text={beginning} name="" onClose={onClose} onOpen={onOpen} />
      )}
    </aside>
  );
}

interface EditingProps extends Props {
  text: string;
}

function Editing({ text, name, scenario, onClose, onOpen }: EditingProps) {
  const refresh = useSituationRefresh();
  const { data } = useQuery(scenarioList());
  const others = (data?.items ?? []).map((item) => item.name).filter((other) => other !== name);
  const save = async (document: string, before: string) => {
    const { items } = await putScenarios(document);
    await refresh();
    notify(
      `${items.map((item) => item.name).join(', ')} is kept, in force on the next call where it is on`,
      name ? () => putScenarios(before).then(refresh) : undefined,
    );
    if (items[0] && items[0].name !== name) onOpen(items[0].name);
  };
  const remove = useMutation({
    mutationFn: () => removeScenario(name),
    onSuccess: async () => {
      await refresh();
      onClose();
      notify(`Scenario ${name} is removed`, () => putScenarios(text).then(refresh));
    },
    onError: (error) => notify(error.message),
  });
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-5 pt-2 pb-4">
      {scenario?.differences && (
        <div className="text-[13px]">
          <h3 className="font-medium text-dim text-xs">Otherwise than what it builds on</h3>
          <ul>
            {scenario.differences.map((d) => (
              <li key={d.what} className="break-words">
                {d.what}: <strong className="font-medium">{d.here}</strong>{' '}
                <span className="text-dim">
                  instead of {d.instead} of {d.of}
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
      {scenario?.faults && (
        <ProblemNotice
          message="Some of it has no effect with the services that are here now."
          places={scenario.faults}
        />
      )}
      <DocumentEditor
        label="Document of the scenario"
        text={text}
        isNew={!name}
        form={(draft, change) => <ChangesView text={draft} onChange={change} others={others} />}
        save={save}
      >
        {name && (
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove
          </Button>
        )}
      </DocumentEditor>
      <CommandLine
        command={
          name ? `rapidmimic scenario show ${name} -o yaml` : 'rapidmimic scenario put -f my.scenarios.yaml'
        }
      />
    </div>
  );
}
