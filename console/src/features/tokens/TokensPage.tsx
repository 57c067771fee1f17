import { useQuery } from '@tanstack/react-query';
import { meQuery } from '@/api/me';
import { useStatus } from '@/api/status';
import type { Status } from '@/api/types';
import { Awaited } from '@/ui/Awaited';
import { CreateToken } from './CreateToken';
import { tokenList } from './queries';
import { TokenTable } from './TokenTable';

/** Who gets in, as what, and how much each may have. */
export function TokensPage() {
  const query = useQuery(tokenList());
  const { data: me } = useQuery(meQuery());
  const { data: status } = useStatus();
  return (
    <div className="h-full overflow-y-auto">
      <div className="space-y-3 px-5 pt-4 pb-4">
        <h1 className="font-semibold text-lg">Tokens</h1>
        <p className="max-w-[820px] text-[13px] text-dim">
          Each person and each pipeline has a token of its own. What they change stands in the activity by its
          name. The service keeps no token itself, only what it takes to recognise one.
        </p>
        <CreateToken />
        {status?.quotas && <Quotas quotas={status.quotas} />}
      </div>
      <Awaited query={query} what="the tokens">
        {({ items }) => <TokenTable tokens={items} mine={me?.name} />}
      </Awaited>
    </div>
  );
}

/** What one token and one lane may have, so that nobody takes everything. */
function Quotas({ quotas }: { quotas: NonNullable<Status['quotas']> }) {
  const most = (n: number) => (n === 0 ? 'any number of' : n.toLocaleString('en'));
  return (
    <p className="max-w-[820px] text-[13px] text-dim" data-testid="quotas">
      A token has {most(quotas.requestsPerSecond)} requests a second, {most(quotas.changesPerMinute)} changes
      a minute, and {most(quotas.lanesPerToken)} open lanes; a lane has {most(quotas.laneCallsPerSecond)}{' '}
      calls a second and {most(quotas.laneMappings)} mappings of its own.
    </p>
  );
}
