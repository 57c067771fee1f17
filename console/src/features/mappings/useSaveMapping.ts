import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import { keys } from '@/api/keys';
import type { Mapping } from '@/api/types';
import { notify, notifyChange } from '@/ui/Notices';
import { draftId, endDraft } from './keptDraft';
import { putMapping, removeFromLane, removeMapping } from './queries';

interface Save {
  id: string;
  document: string;
  etag: string;
  /** What it is saved over, where that is not what was read. */
  over?: string;
}

/** A mapping as it is kept, and its document; of a lane, or of everybody. */
export interface SavedMapping {
  mapping: Mapping;
  text: string;
  lane?: string;
}

/** The page on which a mapping of everybody is edited. */
export const pageOf = (service: string, id: string) =>
  `/services/${encodeURIComponent(service)}/mappings/${encodeURIComponent(id)}`;

/** Saves and removes a mapping, where it is kept; each can be undone. */
export function useSaveMapping(service: string, saved?: SavedMapping) {
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const lane = saved?.lane;
  const refresh = async () => {
    await queries.invalidateQueries({ queryKey: keys.service(service) });
    if (lane) await queries.invalidateQueries({ queryKey: keys.lanes() });
  };
  const save = useMutation({
    mutationFn: ({ id, document, etag }: Save) => putMapping(service, id, document, etag, lane),
    onSuccess: async (mapping, { over }) => {
      endDraft(service, draftId(saved));
      const made = over === undefined && !saved;
      notifyChange(
        `${mapping.id} is saved and live on the next call${lane ? ` in lane ${lane}` : ''}`,
        made ? () => navigate(`/services/${encodeURIComponent(service)}`) : undefined,
      );
      if (!saved) navigate(pageOf(service, mapping.id), { replace: true }); // before one is elsewhere
      await refresh();
    },
  });
  const remove = useMutation({
    mutationFn: () => {
      const id = saved?.mapping.id ?? '';
      return lane ? removeFromLane(lane, service, id) : removeMapping(service, id);
    },
    onSuccess: async () => {
      if (saved) notifyChange(`${saved.mapping.id} was removed${lane ? ` from lane ${lane}` : ''}`);
      navigate(`/services/${encodeURIComponent(service)}`);
      await refresh();
    },
    onError: (error) => notify(`It was not removed: ${error.message}`),
  });
  return { save, remove };
}
