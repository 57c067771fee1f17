import { Pause, Play } from 'lucide-react';
import { memo, type RefObject } from 'react';
import { MakeScenario } from '@/features/scenarios';
import { Button } from '@/ui/Button';
import { CopyButton } from '@/ui/CopyButton';
import { Select } from '@/ui/Select';
import { ChooseColumns } from './ChooseColumns';
import { groupings } from './callGroups';
import { FilterChips } from './FilterChips';
import { FilterField } from './FilterField';
import { LaneFilter } from './LaneFilter';
import { SavedFilters } from './SavedFilters';

/** What stands in the address for calls that are drawn as a flow, and as points. */
export const flow = 'flow';
export const scatter = 'scatter';

interface Props {
  text: string;
  /** Words of the filter that were switched off. */
  off: string;
  filter: RefObject<HTMLInputElement | null>;
  lane: string;
  mine: string;
  /** How the calls are shown: flow, scatter, what they are grouped by, or '' for a list. */
  shownAs: string;
  held: boolean;
  /** How many calls there are. */
  told: string;
  /** The command that lists the same. */
  command: string;
  /** The ids of the calls that a scenario can be made of, and why it cannot; '' when it can. */
  ids: string[];
  hindered: string;
  /** Puts values into the address; null takes one out. */
  set(key: string, value: string | null): void;
  onHold(): void;
}

/** What is wanted of the calls, and what can be done with them. It is not drawn anew with each call. */
export const CallsBar = memo(
  ({ text, off, filter, lane, mine, shownAs, held, told, command, ids, hindered, set, onHold }: Props) => (
    <>
      <div className="flex flex-wrap items-center gap-2 border-line border-b px-5 py-2">
        <FilterField text={text} onChange={(next) => set('text', next)} input={filter} />
        <SavedFilters text={text} onUse={(saved) => set('text', saved)} />
        <LaneFilter lane={lane} mine={mine} onChange={(next) => set('lane', next)} />
        <Select
          quiet
          label="Show"
          value={shownAs}
          onChange={(by) => set('group', by)}
          options={[['', 'as a list'], [flow, 'as a flow'], [scatter, 'by how long they took'], ...groupings]}
        />
        {shownAs === '' && <ChooseColumns />}
        <Button onClick={onHold} aria-pressed={held}>
          {held ? <Play size={14} aria-hidden /> : <Pause size={14} aria-hidden />}
          {held ? 'Follow' : 'Pause'}
        </Button>
        <span className="text-dim text-[13px]" aria-live="off" data-testid="shown">
          {told}
        </span>
        <span className="ml-auto flex items-center gap-2">
          <CopyButton text={command} what="command">
            Command
          </CopyButton>
          <MakeScenario calls={ids} hindered={hindered} />
        </span>
      </div>
      <FilterChips
        text={text}
        off={off}
        onChange={(next, away) => {
          set('text', next);
          set('off', away);
        }}
      />
    </>
  ),
);
