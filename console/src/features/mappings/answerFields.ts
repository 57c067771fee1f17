import type { Operation, OperationDetail } from '@/api/types';
import type { KnownField } from '@/ui/fieldHelp';
import type { MappingDraft } from './mappingDraft';

/** The operation that the calls of a mapping ask for; undefined where that cannot be told. */
export function operationOf(
  { operation, method, path }: Pick<MappingDraft, 'operation' | 'method' | 'path'>,
  operations: Operation[],
): string | undefined {
  if (operation) return operation;
  const asked = path.split('/');
  const fits = (one: Operation) => {
    const segments = one.path.split('/');
    return (
      one.method === method &&
      segments.length === asked.length &&
      segments.every((segment, i) => segment === asked[i] || /^\{.*\}$/.test(segment))
    );
  };
  return (
    operations.find(({ path: own }) => own === path && fits({ method, path: own } as Operation))?.id ??
    operations.find(fits)?.id
  );
}

/** The fields of what an operation answers in JSON with a status. */
export function fieldsOf({ responses }: OperationDetail, status: string): KnownField[] {
  const found =
    responses?.find((one) => one.status === status) ??
    responses?.find((one) => one.status.toLowerCase() === `${status.slice(0, 1)}xx`) ??
    responses?.find((one) => one.status === 'default');
  return found?.bodies?.find(({ mediaType }) => /[/+]json\b/.test(mediaType))?.fields ?? [];
}
