import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { operationDetail, operationList } from '@/api/operations';
import type { KnownField } from '@/ui/fieldHelp';
import { fieldsOf, operationOf } from './answerFields';
import type { MappingDraft } from './mappingDraft';

const none: KnownField[] = [];

/** The fields that the contract has for an answer of a mapping, by its status; none where it says nothing. */
export function useAnswerFields(
  service: string,
  { operation, method, path }: Pick<MappingDraft, 'operation' | 'method' | 'path'>,
  status: string,
): KnownField[] {
  const { data: list } = useQuery({ ...operationList(service), staleTime: 60_000 });
  const id = useMemo(
    () => operationOf({ operation, method, path }, list?.items ?? []),
    [operation, method, path, list],
  );
  const { data } = useQuery({ ...operationDetail(service, id ?? ''), enabled: id !== undefined });
  return useMemo(() => (data ? fieldsOf(data, status) : none), [data, status]);
}
