import { useMutation, useQueryClient } from '@tanstack/react-query';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { putMapping } from './queries';

interface Props {
  lane: string;
  service: string;
  id: string;
  /** The mapping as a document. */
  document: string;
  disabled: boolean;
}

/** Keeps a mapping as it stands here in my lane alone, above what everybody has. */
export function SaveInLane({ lane, service, id, document, disabled }: Props) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: keys.lanes() });
  const save = useMutation({
    mutationFn: () => putMapping(service, id, document, '', lane),
    onSuccess: () => {
      notifyChange(`${id} answers in lane ${lane} alone, from the next call`);
      return refresh();
    },
    onError: (error) => notify(`Nothing was kept in lane ${lane}: ${wrongIn(error)}`),
  });
  return (
    <Button disabled={disabled || save.isPending} onClick={() => save.mutate()}>
      Save in my lane only
    </Button>
  );
}
