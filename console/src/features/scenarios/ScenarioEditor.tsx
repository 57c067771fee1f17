import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { type Kept, notThere } from '@/api/http';
import type { Scenario } from '@/api/types';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { DocumentEditor } from '@/ui/DocumentEditor';
import { notify, notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { ChangesView } from './ChangesView';
import { shapeOf } from './changesDraft';
import { makeScenarios, putScenario, removeScenario, scenarioList, scenarioText } from './queries';
import { useSituationRefresh } from './useSwitching';

const beginning = `name: my-scenario
# services:
#   SERVICE:
#     off: true                          switches the whole service off
#     examples: { OPERATION: EXAMPLE }   what an operation answers with
#     mappingsOff: [MAPPING]             mappings that do not answer
#     mappings: [ ... ]                  mappings that come before the others
#     webhooks: { name: WEBHOOK }        what it is told to send when switched on
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
          {(kept) => (
            <Editing
              key={name}
              kept={kept}
              scenario={scenario}
              name={name}
              onClose={onClose}
              onOpen={onOpen}
            />
          )}
        </Awaited>
      ) : (
        <Editing kept={{ text: beginning, etag: notThere }} name="" onClose={onClose} onOpen={onOpen} />
      )}
    </aside>
  );
}

interface EditingProps extends Props {
  kept: Kept;
}

function Editing({ kept, name, scenario, onClose, onOpen }: EditingProps) {
  const refresh = useSituationRefresh();
  const queries = useQueryClient();
  const { data } = useQuery(scenarioList());
  const others = (data?.items ?? []).map((item) => item.name).filter((other) => other !== name);
  const save = async (document: string, etag: string, over: boolean) => {
    const named = shapeOf(document)?.name ?? name;
    const replaces = over || (etag !== notThere && named === name);
    const made = replaces
      ? [await putScenario(named, document, etag)]
      : (await makeScenarios(document)).items;
    const another = made[0]?.name !== name;
    if (another && made[0]) onOpen(made[0].name); // before one is elsewhere
    await refresh();
    const names = made.map((item) => item.name).join(', ');
    const told = `${names} is kept, in force on the next call where it is on`;
    return { etag: made[0]?.etag ?? notThere, told, another };
  };
  const read = async (document: string) => {
    const named = shapeOf(document)?.name;
    return named ? queries.fetchQuery(scenarioText(named)) : undefined;
  };
  const remove = useMutation({
    mutationFn: () => removeScenario(name),
    onSuccess: async () => {
      notifyChange(`Scenario ${name} is removed`);
      onClose(); // before another one may be open
      await refresh();
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
        kept={kept}
        form={(draft, change) => <ChangesView text={draft} onChange={change} others={others} />}
        save={save}
        read={read}
        onTaken={(document) => {
          const named = shapeOf(document)?.name;
          if (named && named !== name) onOpen(named);
        }}
      >
        {name && (
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove
          </Button>
        )}
      </DocumentEditor>
      <CommandLine
        command={
          name
            ? `rapidmimic scenario show ${word(name)} -o yaml`
            : 'rapidmimic scenario put -f my.scenarios.yaml'
        }
      />
    </div>
  );
}
