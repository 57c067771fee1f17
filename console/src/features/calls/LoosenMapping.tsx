import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { loosenMapping } from './queries';

interface Props {
  service: string;
  mapping: string;
  call: string;
}

/** Has a mapping that passed over a call answer it from now on, by asking for less. */
export function LoosenMapping({ service, mapping, call }: Props) {
  const queries = useQueryClient();
  const loosen = useMutation({
    mutationFn: () => loosenMapping(service, mapping, call),
    onSuccess: async ({ notes }) => {
      notifyChange(`${mapping} answers such calls from the next one on: ${notes.join('; ')}`);
      await queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(error.message),
  });
  return (
    <Button
      look="bare"
      className="ml-1 h-5 px-1 text-xs"
      disabled={loosen.isPending || loosen.isSuccess}
      onClick={() => loosen.mutate()}
    >
      {loosen.isSuccess ? 'loosened' : 'Let it answer this, too'}
    </Button>
  );
}
