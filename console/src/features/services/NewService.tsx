import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { keys } from '@/api/keys';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { createService } from './queries';

interface Props {
  words?: string;
  /** The real service is what matters: its answers are to be recorded. */
  toRecord?: boolean;
}

/** Makes a service without a contract. */
export function NewService({ words = 'New service', toRecord = false }: Props) {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const [upstream, setUpstream] = useState('');
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const mutation = useMutation({
    mutationFn: () => createService(name, upstream.trim()),
    onSuccess: async (service) => {
      setOpen(false);
      navigate(`/services/${encodeURIComponent(service.name)}${service.upstream ? '/recordings' : ''}`); // before one is elsewhere
      await queries.invalidateQueries({ queryKey: keys.services() });
    },
  });
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button>{words}</Button>
      </DialogTrigger>
      <DialogContent title={words}>
        <form
          className="space-y-4"
          onSubmit={(event) => {
            event.preventDefault();
            mutation.mutate();
          }}
        >
          <Field
            label="Name"
            value={name}
            autoFocus
            required
            hint="Stands in the address: letters, digits, . _ and -"
            fault={mutation.error?.message}
            onChange={(event) => setName(event.target.value)}
          />
          <Field
            label={toRecord ? 'Address of the real service' : 'Address of the real service, if there is one'}
            value={upstream}
            required={toRecord}
            type="url"
            placeholder="https://office.skerry-sound.example/v2"
            hint="Calls can be relayed to it, and its answers recorded"
            onChange={(event) => setUpstream(event.target.value)}
            className="font-mono text-xs"
          />
          <Button look="main" type="submit" disabled={mutation.isPending}>
            Make the service
          </Button>
        </form>
      </DialogContent>
    </Dialog>
  );
}
