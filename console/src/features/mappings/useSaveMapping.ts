import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import type { Mapping } from '@/api/types';
import { notify } from '@/ui/Notices';
import { documentOf, documentOfMapping, type MappingDraft } from './mappingDraft';
import { putMapping, removeMapping } from './queries';

interface Save {
  draft: MappingDraft;
  etag: string;
}

/** Saves and removes a mapping; each can be undone. */
export function useSaveMapping(service: string, saved?: Mapping) {
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const refresh = () => queries.invalidateQueries({ queryKey: ['services', service] });
  const pageOf = (id: string) =>
    `/services/${encodeURIComponent(service)}/mappings/${encodeURIComponent(id)}`;
  const putBack = (mapping: Mapping) =>
    putMapping(service, mapping.id, documentOfMapping(mapping), '').then(refresh);

  const save = useMutation({
    mutationFn: ({ draft, etag }: Save) =>
      putMapping(service, draft.id || idOf(draft), documentOf(draft), etag),
    onSuccess: async (mapping) => {
      await refresh();
      notify(`${mapping.id} is saved and live on the next call`, () =>
        saved
          ? putBack(saved)
          : removeMapping(service, mapping.id)
              .then(refresh)
              .then(() => navigate(`/services/${encodeURIComponent(service)}`)),
      );
      if (!saved) navigate(pageOf(mapping.id), { replace: true });
    },
  });
  const remove = useMutation({
    mutationFn: () => removeMapping(service, saved?.id ?? ''),
    onSuccess: async () => {
      navigate(`/services/${encodeURIComponent(service)}`);
      await refresh();
      if (saved) notify(`${saved.id} was removed`, () => putBack(saved));
    },
  });
  return { save, remove };
}

/** The id that the service would make from method and path. */
function idOf(draft: MappingDraft): string {
  return `${draft.method || 'any'} ${draft.path}`
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
}
