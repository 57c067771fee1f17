import type { CallDetail } from '@/api/types';
import { pretty } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { SendCall } from './SendCall';

/** Headers that the connection or the body brings along. */
const follows = /^(host|content-length|connection|accept-encoding|transfer-encoding|rapid-mimic.*)$/i;

/** Sends a call once more, changed if that is wanted. */
export function SendAgain({ call }: { call: CallDetail }) {
  const { headers, body, encoding, truncated } = call.request;
  const masked = /(masked|secret)-[0-9a-f]{8}/.test(JSON.stringify(headers) + body);
  const why =
    encoding !== 'text'
      ? 'Its body is no text'
      : truncated
        ? 'The log keeps only the beginning of its body'
        : '';
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button disabled={why !== ''} title={why || undefined}>
          Send again
        </Button>
      </DialogTrigger>
      <DialogContent title={`Send ${call.id} again`} className="w-[min(860px,94vw)]">
        {masked && (
          <p className="mb-3 text-[13px] text-miss">
            Secrets were masked when the call was kept: write them anew where the answer depends on them.
          </p>
        )}
        <SendCall
          service={call.service}
          lane={call.lane ?? ''}
          method={call.method}
          path={`${call.path}${call.query ? `?${call.query}` : ''}`}
          headers={headers.filter(([name = '']) => !follows.test(name))}
          body={pretty(body)}
        />
      </DialogContent>
    </Dialog>
  );
}
