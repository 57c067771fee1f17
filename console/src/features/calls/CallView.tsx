import { useQuery } from '@tanstack/react-query';
import { Maximize2, Minimize2, X } from 'lucide-react';
import { Link, useLocation } from 'wouter';
import type { Call, CallDetail } from '@/api/types';
import { whoOf } from '@/features/activity';
import { StartWalk } from '@/features/walks';
import { clock } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { targetOf } from '@/lib/target';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CopyButton } from '@/ui/CopyButton';
import { cn } from '@/ui/cn';
import { Quoted } from '@/ui/Quoted';
import { SourceMark } from '@/ui/SourceMark';
import { CompareCall } from './CompareCall';
import { feed } from './callFeed';
import { canVary } from './canVary';
import { ExplanationView } from './ExplanationView';
import { FieldActions } from './FieldActions';
import { IgnoreLike } from './IgnoredStrip';
import { MessageView } from './MessageView';
import { mappingLink } from './mappingLink';
import { callDetail } from './queries';
import { SendAgain } from './SendAgain';
import { sameEndpoint } from './sameEndpoint';
import { TimingBar } from './TimingBar';
import { UpstreamView } from './UpstreamView';

interface Props {
  id: string;
  /** It has the whole window, and shows request and answer side by side. */
  wide: boolean;
  onWide(wide: boolean): void;
  /** The call that it is compared with, or now; '' for none. */
  other: string;
  onOther(id: string): void;
  onClose(): void;
}

/** One call, whole: the sentence first, then why, then what went over the wire. */
export function CallView({ id, wide, onWide, other, onOther, onClose }: Props) {
  const query = useQuery(callDetail(id));
  const Size = wide ? Minimize2 : Maximize2;
  return (
    <aside aria-label={`Call ${id}`} className="flex min-h-0 min-w-0 flex-col border-line border-l bg-panel">
      <div className="flex items-center justify-between gap-2 px-5 pt-3">
        <h2 className="font-mono text-dim text-xs">{id}</h2>
        <span className="flex">
          <Button
            look="bare"
            className="h-7 px-1.5"
            aria-label={wide ? 'Beside the list' : 'Over the whole page'}
            title={wide ? 'Beside the list (w)' : 'Over the whole page (w)'}
            onClick={() => onWide(!wide)}
          >
            <Size size={15} aria-hidden />
          </Button>
          <Button look="bare" className="h-7 px-1.5" aria-label="Close the call" onClick={onClose}>
            <X size={16} aria-hidden />
          </Button>
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto">
        <Awaited query={query} what="the call">
          {(call) => <CallBody call={call} wide={wide} other={other} onOther={onOther} />}
        </Awaited>
      </div>
    </aside>
  );
}

/** The latest other call that was made for the same, else the call itself. */
const likeIt = (call: Call) =>
  (feed.get().calls.find((one) => one.id !== call.id && sameEndpoint(one, call)) ?? call).id;

type BodyProps = Pick<Props, 'wide' | 'other' | 'onOther'> & { call: CallDetail };

function CallBody({ call, wide, other, onOther }: BodyProps) {
  const [, navigate] = useLocation();
  const made = call.source === 'callback'; // by the service itself
  const target = made ? targetOf(call) : `${call.path}${call.query ? `?${call.query}` : ''}`;
  const request = (
    <MessageView
      title="Request"
      message={call.request}
      actions={(field) => <FieldActions call={call} of="request" field={field} />}
    />
  );
  return (
    <>
      <div className="space-y-2.5 px-5 pb-4">
        <p className="break-words font-medium text-[15px]" data-testid="sentence">
          <Quoted text={call.explanation.sentence} />
        </p>
        <p className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px]">
          <SourceMark source={call.source} />
          <span className="break-all font-mono text-xs">
            {call.method} {target}
          </span>
          <span className="font-medium">
            {call.status || ''} {statusText(call.status)}
          </span>
        </p>
        {call.cause && (
          <p className="text-[13px] text-dim">
            after <CallLink id={call.cause} />
          </p>
        )}
        {(call.lane || call.scenario) && (
          <p className="text-[13px] text-dim">
            {call.lane && (
              <>
                in{' '}
                <Link
                  href={`/calls?${new URLSearchParams({ lane: call.lane })}`}
                  className="text-accent underline"
                >
                  lane {call.lane}
                </Link>{' '}
              </>
            )}
            {call.scenario && (
              <>
                under{' '}
                <Link
                  href={`/scenarios?${new URLSearchParams({ scenario: call.scenario })}`}
                  className="text-accent underline"
                >
                  scenario {call.scenario}
                </Link>
              </>
            )}
          </p>
        )}
        <div className="flex flex-wrap gap-2">
          {call.service && !made && (
            <Button look="main" onClick={() => navigate(mappingLink(call))}>
              {call.source === 'mapping' ? 'Edit the mapping' : 'Make a mapping'}
            </Button>
          )}
          {call.service && !made && <SendAgain call={call} />}
          <Button
            aria-pressed={other !== ''}
            onClick={() => onOther(other ? '' : made ? likeIt(call) : 'now')}
          >
            Compare
          </Button>
          {canVary(call) && (
            <StartWalk service={call.service} of={{ call: call.id }} body={call.answer.body} />
          )}
          <CopyButton text={call.curl} what="curl command">
            Copy as curl
          </CopyButton>
          <CopyButton text={call.powershell} what="command for PowerShell">
            For PowerShell
          </CopyButton>
          <IgnoreLike call={call.id} />
        </div>
      </div>
      {other && <CompareCall call={call} other={other} onOther={onOther} />}
      {call.deviationList.length > 0 && (
        <section className="border-line border-t px-5 py-3">
          <h3 className="mb-1.5 font-semibold text-[13px] text-miss">Breaks the contract</h3>
          <ul className="space-y-0.5 text-[13px]">
            {call.deviationList.map((d) => (
              <li key={`${d.side} ${d.where} ${d.detail}`} className="break-words">
                {d.side}, <code className="text-xs">{d.where}</code>:{' '}
                <span className="text-dim">{d.detail}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {call.callbacks && <Callbacks calls={call.callbacks} />}
      {call.explanation.steps.length > 0 && (
        <section className="border-line border-t px-5 py-3">
          <h3 className="mb-1.5 font-semibold text-[13px]">Why</h3>
          <ExplanationView
            steps={call.explanation.steps}
            missed={
              call.source === 'miss' && call.service ? { service: call.service, call: call.id } : undefined
            }
          />
        </section>
      )}
      {call.environment && !made && <ChangedSince call={call} />}
      <section className="border-line border-t px-5 py-3">
        <h3 className="mb-2 font-semibold text-[13px]">Timing</h3>
        <TimingBar timing={call.timing} tookMs={call.tookMs} made={made} />
        <p className="mt-1 text-dim text-xs">
          {new Date(call.at).toLocaleString('en-GB')} {made ? `to ${call.host}` : `from ${call.caller}`},{' '}
          {call.protocol}
          {call.certificate && `, with the certificate of ${call.certificate}`}
        </p>
      </section>
      {call.upstream && (
        <UpstreamView
          upstream={call.upstream}
          request={{ line: `${call.method} ${target}`, message: call.request }}
          answer={{ status: call.status, message: call.answer }}
        />
      )}
      <div className={cn(wide && 'grid lg:grid-cols-2 lg:[&>*+*]:border-l')}>
        {wide && request}
        <MessageView
          title="Answer"
          message={call.answer}
          actions={(field) => <FieldActions call={call} of="answer" field={field} />}
        />
        {!wide && request}
      </div>
    </>
  );
}

function CallLink({ id }: { id: string }) {
  return (
    <Link
      href={`/calls?${new URLSearchParams({ call: id })}`}
      className="font-mono text-accent text-xs underline"
    >
      {id}
    </Link>
  );
}

/** The calls that the service made after this one. */
function Callbacks({ calls }: { calls: Call[] }) {
  return (
    <section className="border-line border-t px-5 py-3">
      <h3 className="mb-1.5 font-semibold text-[13px]">Callbacks</h3>
      <ul className="space-y-0.5 text-[13px]">
        {calls.map((made) => (
          <li key={made.id} data-callback={made.id} className="break-words">
            <CallLink id={made.id} />{' '}
            <span className="break-all font-mono text-xs">
              {made.method} {targetOf(made)}
            </span>{' '}
            <span className={made.status >= 200 && made.status < 400 ? 'text-dim' : 'text-bad'}>
              {made.status || 'no answer'}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What was changed since the call, so that it may be answered otherwise now. */
function ChangedSince({ call }: { call: CallDetail }) {
  const since = call.changedSince ?? [];
  return (
    <section className="border-line border-t px-5 py-3">
      <h3 className="mb-1.5 font-semibold text-[13px]">Changed since</h3>
      {since.length === 0 ? (
        <p className="text-[13px] text-dim">Nothing that could change this answer.</p>
      ) : (
        <ul className="space-y-0.5 text-[13px]">
          {since.map((entry) => {
            const { name, way } = whoOf(entry);
            return (
              <li key={entry.id} data-since={entry.id}>
                <span className="text-dim tabular-nums">{clock(entry.at)}</span>{' '}
                <strong className="font-medium">{name}</strong> {entry.lines.join('; ')}{' '}
                <span className="text-dim">{way}</span>{' '}
                <Link
                  href={`/activity?${new URLSearchParams({ service: call.service })}`}
                  className="font-mono text-accent text-xs underline"
                >
                  {entry.id}
                </Link>
              </li>
            );
          })}
        </ul>
      )}
      {call.moreSince && <p className="mt-1 text-[13px] text-dim">And more, before these.</p>}
    </section>
  );
}
