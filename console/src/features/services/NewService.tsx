import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { keys } from '@/api/keys';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { createService } from './queries';

/** Makes a service without a contract. */
export function NewService() {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const mutation = useMutation({
    mutationFn: () => createService(name),
    onSuccess: async (service) => {
      await queries.invalidateQueries({ queryKey: keys.services() });
      setOpen(false);
      navigate(`/services/${encodeURIComponent(service.name)}`);
    },
  });
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button>New service</Button>
      </DialogTrigger>
      <DialogContent title="New service">
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
          <Button look="main" type="submit" disabled={mutation.isPending}>
            Make the service
          </Button>
        </form>
      </DialogContent>
    </Dialog>
  );
}
