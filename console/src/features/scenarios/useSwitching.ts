import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { ActiveScenario } from '@/api/types';
import { notify, notifyChange } from '@/ui/Notices';
import { leaveScenario, resetScenario, switchScenario } from './queries';

/** Reads anew what a switch of scenario changes. */
export function useSituationRefresh() {
  const queries = useQueryClient();
  return () =>
    Promise.all(
      [keys.scenarios(), keys.lanes(), keys.status(), keys.impairments()].map((queryKey) =>
        queries.invalidateQueries({ queryKey }),
      ),
    );
}

interface Switch {
  /** '' switches off. */
  scenario: string;
  lane: string;
  lasts?: string;
}

const where = (lane: string) => (lane ? `in lane ${lane}` : 'for calls in no lane');

/** Switches scenarios on and off, with the way back beside what was done. */
export function useSwitching() {
  const refresh = useSituationRefresh();
  const flip = useMutation({
    mutationFn: ({ scenario, lane, lasts }: Switch): Promise<ActiveScenario> =>
      scenario ? switchScenario(scenario, lane, lasts) : leaveScenario(lane),
    onSuccess: async ({ before = '', webhooks = [] }, { scenario, lane }) => {
      const done = scenario ? `${scenario} is on` : before ? `${before} is off` : 'No scenario was on';
      notifyChange(`${done} ${where(lane)}`);
      for (const { service, webhook, why } of webhooks) {
        if (why) notify(`Webhook ${webhook} of ${service} was not sent: ${why}`);
      }
      await refresh();
    },
    onError: (error) => notify(`Nothing was switched: ${error.message}`),
  });
  const reset = useMutation({
    mutationFn: resetScenario,
    onSuccess: async (_, lane) => {
      await refresh();
      notify(`Sequences, counters, draws and limits were reset ${where(lane)}`);
    },
    onError: (error) => notify(error.message),
  });
  return { flip, reset };
}
