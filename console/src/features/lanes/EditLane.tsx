import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { ChangesView, useSituationRefresh } from '@/features/scenarios';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { DocumentEditor } from '@/ui/DocumentEditor';
import { laneText, putLane } from './queries';

/** All that a lane has of its own, as a form or as a document. */
export function EditLane({ name }: { name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button>Edit</Button>
      </DialogTrigger>
      <DialogContent
        title={`What lane ${name} has of its own`}
        className="flex h-[min(640px,90vh)] w-[min(760px,94vw)] flex-col gap-3"
      >
        <Editing name={name} />
      </DialogContent>
    </Dialog>
  );
}

function Editing({ name }: { name: string }) {
  const refresh = useSituationRefresh();
  const queries = useQueryClient();
  const query = useQuery(laneText(name));
  return (
    <Awaited query={query} what="the lane">
      {(kept) => (
        <>
          <DocumentEditor
            label="Document of the lane"
            kept={kept}
            form={(draft, change) => <ChangesView text={draft} onChange={change} />}
            read={() => queries.fetchQuery(laneText(name))}
            save={async (document, etag) => {
              const lane = await putLane(name, document, etag);
              await refresh();
              return { etag: lane.etag, told: `Lane ${name} is so from the next call on` };
            }}
          />
          <CommandLine command={`rapidmimic lane show ${word(name)} -o yaml`} />
        </>
      )}
    </Awaited>
  );
}
