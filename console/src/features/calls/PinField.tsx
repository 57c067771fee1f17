import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import { readPins, writePins } from '@/api/pins';
import { readValue } from '@/lib/valueText';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { notify, notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';

interface Props {
  service: string;
  operation: string;
  pointer: string;
  /** The literal that stands there. */
  value: string;
  look: string;
}

/** Fixes a field of what an operation answers, while the rest varies. */
export function PinField({ service, operation, pointer, value, look }: Props) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState(value);
  const queries = useQueryClient();
  const pin = useMutation({
    mutationFn: async () => {
      const { pins, etag } = await readPins(service, operation);
      return writePins(service, operation, { ...pins, [pointer]: readValue(text) }, etag);
    },
    onSuccess: ({ warnings = [] }) => {
      setOpen(false);
      notifyChange(`${pointer} of ${operation} is pinned, live on the next call`);
      for (const { detail } of warnings) notify(`Warning: ${detail}`);
      return queries.invalidateQueries({ queryKey: keys.service(service) });
    },
  });
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <button type="button" className={look}>
          Pin it
        </button>
      </DialogTrigger>
      <DialogContent title={`Pin ${pointer} of ${operation}`}>
        <form
          className="space-y-3"
          onSubmit={(event) => {
            event.preventDefault();
            pin.mutate();
          }}
        >
          <Field
            label="Value from now on"
            hint={'JSON, a word, or an expression: "taken", 7, ${call.path.number}'}
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="w-full font-mono"
          />
          {pin.isError && <ProblemNotice message={pin.error.message} />}
          <Button look="main" type="submit" disabled={pin.isPending}>
            Pin it
          </Button>
        </form>
      </DialogContent>
    </Dialog>
  );
}
