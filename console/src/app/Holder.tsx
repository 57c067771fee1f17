import { useQuery } from '@tanstack/react-query';
import { meQuery } from '@/api/me';
import { queries } from '@/api/queryClient';
import { asked, keepToken, token } from '@/api/token';
import type { Me } from '@/api/types';
import { forgetDrafts } from '@/features/mappings';
import { Button } from '@/ui/Button';
import { AuthorName } from './AuthorName';

/** Who makes changes here: the token's holder where the environment asks for one, else who says so. */
export function Holder() {
  const { data: me } = useQuery(meQuery());
  if (!me?.needToken) return <AuthorName />;
  if (!token.get())
    return (
      <Button look="bare" className="h-7" onClick={() => asked.set(true)}>
        Log in
      </Button>
    );
  return (
    <>
      <span title={reach(me)} data-testid="holder">
        <span className="text-dim">you are</span> <strong className="font-medium">{me.name}</strong>
        <span className="text-dim">, {me.role}</span>
      </span>
      <Button
        look="bare"
        className="h-7"
        onClick={() => {
          keepToken('');
          forgetDrafts();
          asked.set(true);
          queries.clear();
        }}
      >
        Log out
      </Button>
    </>
  );
}

/** To what a token reaches. */
function reach({ services, lanes, expires }: Me): string {
  return [
    services ? `services: ${services.join(', ')}` : 'all services',
    lanes ? `lanes: ${lanes.join(', ')}` : 'all lanes',
    expires && `until ${new Date(expires).toLocaleString('sv-SE')}`,
  ]
    .filter(Boolean)
    .join('; ');
}
