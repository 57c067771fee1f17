import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import type { Mapping } from '@/api/types';
import { notify } from '@/ui/Notices';
import { putMapping, removeMapping } from './queries';

interface Save {
  id: string;
  document: string;
  etag: string;
}

/** Saves and removes a mapping; each can be undone. */
export function useSaveMapping(service: string, saved?: { mapping: Mapping; text: string }) {
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const refresh = () => queries.invalidateQueries({ queryKey: ['services', service] });
  const pageOf = (id: string) =>
    `/services/${encodeURIComponent(service)}/mappings/${encodeURIComponent(id)}`;
  const putBack = ({ mapping, text }: NonNullable<typeof saved>) =>
    putMapping(service, mapping.id, text, '').then(refresh);

  const save = useMutation({
    mutationFn: ({ id, document, etag }: Save) => putMapping(service, id, document, etag),
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
    mutationFn: () => removeMapping(service, saved?.mapping.id ?? ''),
    onSuccess: async () => {
      navigate(`/services/${encodeURIComponent(service)}`);
      await refresh();
      if (saved) notify(`${saved.mapping.id} was removed`, () => putBack(saved));
    },
  });
  return { save, remove };
}
