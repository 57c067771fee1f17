import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import type { RecordingReport, Service } from '@/api/types';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { recordingList } from './queries';
import { RecordingReportView } from './RecordingReportView';
import { RecordingRow } from './RecordingRow';
import { RunningRecording } from './RunningRecording';
import { StartRecording } from './StartRecording';

/** Recordings of a service: start, watch, stop; and what was kept. */
export function RecordingPanel({ service }: { service: Service }) {
  const query = useQuery(recordingList(service.name));
  const [report, setReport] = useState<RecordingReport>();
  return (
    <Awaited query={query} what="the recordings">
      {({ items }) => {
        const running = items.find((recording) => recording.running);
        const kept = items.filter((recording) => !recording.running);
        return (
          <div className="space-y-3">
            <div className="space-y-2 px-5">
              {running && (
                <RunningRecording service={service.name} recording={running} onStopped={setReport} />
              )}
              {!running && service.upstream && (
                <>
                  <StartRecording service={service.name} onStarted={() => setReport(undefined)} />
                  <CommandLine command={`rapidmimic record ${word(service.name)} --name NAME`} />
                </>
              )}
              {!running && !service.upstream && <NoUpstream service={service.name} />}
              {report && <RecordingReportView service={service.name} report={report} />}
            </div>
            {kept.length > 0 && (
              <ul className="border-line border-t text-[13px]">
                {kept.map((recording) => (
                  <RecordingRow
                    key={recording.id}
                    service={service.name}
                    recording={recording}
                    onReport={setReport}
                  />
                ))}
              </ul>
            )}
          </div>
        );
      }}
    </Awaited>
  );
}

function NoUpstream({ service }: { service: string }) {
  return (
    <p className="text-[13px] text-dim">
      Give the service an upstream in its{' '}
      <Link href={`/services/${encodeURIComponent(service)}/settings`} className="text-accent underline">
        settings
      </Link>
      , and what that answers can be recorded and played back.
    </p>
  );
}
