import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useLayoutEffect, useMemo, useRef, useState } from 'react';
import { Link, useSearchParams } from 'wouter';
import { mappingList } from '@/api/mappings';
import { useMyLane, useView } from '@/api/myLane';
import { operationList } from '@/api/operations';
import type { Mapping, Operation, Service } from '@/api/types';
import { ManyMappings, RemovedDialog, selectMappings } from '@/features/mappings';
import { useLineHeight } from '@/lib/density';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { AnswerFilterBar } from './AnswerFilterBar';
import { type AnswerFilter, type AnswerRow, answerRows, anyAnswer, type Grouping } from './answerRows';
import { MappingLine } from './MappingLine';
import { MissingLine } from './MissingLine';
import { OperationLine } from './OperationLine';
import { mappingKey, operationKey } from './pulses';
import { type Traffic, useTraffic } from './useTraffic';

const roomyLine = 34;
/** From how many operations on they are read less often: the list is long. */
const many = 300;

/** All that a service can answer, and what it was asked for in vain. */
export function AnswerList({ service }: { service: Service }) {
  const view = useView();
  const mappings = useQuery(mappingList(service.name, view));
  const operations = useQuery({
    ...operationList(service.name, view),
    refetchInterval: service.operations > many ? 30_000 : 5_000,
  });
  return (
    <Awaited query={mappings} what="the mappings">
      {({ items, next }) => (
        <Awaited query={operations} what="the operations">
          {(described) => (
            <Answers service={service} operations={described.items} mappings={items} more={next} />
          )}
        </Awaited>
      )}
    </Awaited>
  );
}

interface Props {
  service: Service;
  operations: Operation[];
  mappings: Mapping[];
  /** There are mappings beyond these. */
  more?: string;
}

function Answers({ service, operations, mappings, more }: Props) {
  const traffic = useTraffic(service.name, useMyLane());
  const { filter, grouping, set } = useAnswerFilter();
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const selected = useMemo(() => selectMappings(mappings, filter.text), [mappings, filter.text]);
  const rows = useMemo(
    () => answerRows({ operations, mappings, selected, missing: traffic.missing }, filter, grouping, folded),
    [operations, mappings, selected, traffic.missing, filter, grouping, folded],
  );
  const methods = useMemo(
    () =>
      [
        ...new Set(
          [...operations, ...mappings.map(({ call }) => call)].flatMap(({ method }) => method ?? []),
        ),
      ].sort(),
    [operations, mappings],
  );
  const fold = (key: string) =>
    setFolded((now) => {
      const next = new Set(now);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  const picked = filter.text.trim() !== '';
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-8 flex-wrap items-center gap-2 px-5 py-2">
        <AnswerFilterBar
          filter={filter}
          grouping={grouping}
          methods={methods}
          onFilter={set}
          onGrouping={(by) => set({}, by)}
        />
        {picked && selected.length > 0 && <ManyMappings service={service.name} selected={selected} />}
        <span className="ml-auto flex items-center gap-2">
          <RemovedDialog service={service.name} />
          <Link href={`/services/${encodeURIComponent(service.name)}/mappings`} asChild>
            <Button look="main">New mapping</Button>
          </Link>
        </span>
      </div>
      {more && (
        <p className="px-5 pb-2 text-dim text-xs">
          Only the first {mappings.length.toLocaleString('en')} mappings are shown.
        </p>
      )}
      {rows.length === 0 ? (
        <p className="border-line border-t px-5 py-6 text-dim">
          {operations.length + mappings.length === 0
            ? 'Nothing yet. Import a contract into this service, record what the real one answers, or make a mapping: when a call looks like this, give that answer.'
            : 'Nothing fits the filter.'}
        </p>
      ) : (
        <Lines service={service} rows={rows} traffic={traffic} onFold={fold} />
      )}
    </div>
  );
}

interface LinesProps {
  service: Service;
  rows: AnswerRow[];
  traffic: Traffic;
  onFold(key: string): void;
}

function Lines({ service, rows, traffic, onFold }: LinesProps) {
  const box = useRef<HTMLDivElement>(null);
  const lineHeight = useLineHeight(roomyLine);
  const lines = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => lineHeight,
    getItemKey: (i) => rows[i]?.key ?? i,
    overscan: 10,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: lines of another height are measured anew
  useLayoutEffect(() => lines.measure(), [lineHeight]);
  return (
    <div ref={box} className="min-h-0 flex-1 overflow-y-auto border-line border-t">
      <div
        role="table"
        aria-label="Answers"
        aria-rowcount={rows.length}
        className="relative"
        style={{ height: lines.getTotalSize() }}
      >
        {lines.getVirtualItems().map((line) => {
          const row = rows[line.index];
          return (
            <div
              key={line.key}
              className="absolute inset-x-0"
              style={{ top: line.start, height: lineHeight }}
            >
              {row && <Line service={service} row={row} traffic={traffic} onFold={onFold} />}
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Line({ service, row, traffic, onFold }: Omit<LinesProps, 'rows'> & { row: AnswerRow }) {
  switch (row.kind) {
    case 'group':
      return <GroupLine row={row} onFold={onFold} />;
    case 'missing':
      return <MissingLine service={service.name} group={row.group} />;
    case 'operation':
      return (
        <OperationLine
          service={service}
          operation={row.operation}
          pulse={traffic.pulses.get(operationKey(row.operation.id))}
        />
      );
    case 'mapping':
      return (
        <MappingLine
          service={service.name}
          mapping={row.mapping}
          under={row.under}
          pulse={traffic.pulses.get(mappingKey(row.mapping.id))}
        />
      );
  }
}

function GroupLine({ row, onFold }: { row: AnswerRow & { kind: 'group' }; onFold(key: string): void }) {
  const Mark = row.folded ? ChevronRight : ChevronDown;
  return (
    <div role="row" className="h-full border-line border-b bg-ground">
      <span role="cell" className="flex h-full items-center px-4">
        <button
          type="button"
          aria-expanded={!row.folded}
          onClick={() => onFold(row.key.replace(/^group /, ''))}
          className="flex items-center gap-1 rounded pr-2 font-semibold text-[13px] hover:bg-sunken"
        >
          <Mark size={14} aria-hidden className="text-dim" />
          {row.title} <span className="ml-1 font-normal text-dim tabular-nums">{row.count}</span>
        </button>
      </span>
    </div>
  );
}

/** The filter and the grouping, kept in the URL. */
function useAnswerFilter() {
  const [params, setParams] = useSearchParams();
  const filter = useMemo(
    () => ({
      text: params.get('find') ?? anyAnswer.text,
      method: params.get('method') ?? anyAnswer.method,
      by: (params.get('by') ?? anyAnswer.by) as AnswerFilter['by'],
      only: (params.get('only') ?? anyAnswer.only) as AnswerFilter['only'],
    }),
    [params],
  );
  const grouping: Grouping = params.get('group') === 'path' ? 'path' : 'tag';
  const set = (change: Partial<AnswerFilter>, by: Grouping = grouping) => {
    const { text, ...others } = { ...filter, ...change };
    const values = { find: text, ...others, group: by === 'path' ? 'path' : '' };
    setParams(new URLSearchParams(Object.entries(values).filter(([, value]) => value !== '')), {
      replace: true,
    });
  };
  return { filter, grouping, set };
}
