import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import { useMyLane } from '@/api/myLane';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Select } from '@/ui/Select';
import { fieldPaths } from './fieldPaths';
import { boundariesOf, createWalk, type Varied } from './queries';

interface Props {
  service: string;
  of: Varied;
  /** The body of that answer. */
  body: string;
  /** The field to begin with, by its path. */
  at?: string;
  /** How the button looks that opens it; as others do without. */
  look?: string;
}

/** Begins a walk through the boundary values of a field of an answer. */
export function StartWalk(props: Props) {
  return (
    <Dialog>
      <DialogTrigger asChild>
        {props.look ? (
          <button type="button" className={props.look}>
            Boundary values
          </button>
        ) : (
          <Button>Boundary values</Button>
        )}
      </DialogTrigger>
      <DialogContent title="Boundary values of a field">
        <WalkForm {...props} />
      </DialogContent>
    </Dialog>
  );
}

function WalkForm({ service, of, body, at: first }: Props) {
  const offeredPaths = fieldPaths(JSON.parse(body));
  const paths = first && !offeredPaths.includes(first) ? [first, ...offeredPaths] : offeredPaths;
  const lane = useMyLane();
  const queries = useQueryClient();
  const [, navigate] = useLocation();
  const [at, setAt] = useState(first ?? paths[1] ?? paths[0] ?? '$');
  const [only, setOnly] = useState('');
  const values = useQuery(boundariesOf(service, of, at));
  const begin = useMutation({
    mutationFn: () => createWalk({ service, ...of, at: [at], only, lane }),
    onSuccess: (walk) => {
      void queries.invalidateQueries({ queryKey: keys.walks() });
      navigate(`/walks/${encodeURIComponent(walk.name)}`);
    },
  });
  const offered = values.data?.items.filter((one) => !only || one.validity === only) ?? [];
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        event.stopPropagation(); // the dialog may stand in another form
        begin.mutate();
      }}
    >
      <p className="text-[13px] text-dim">
        Values at which programs fail, one after the other: the next call {lane ? `in lane ${lane} ` : ''}gets
        the first, and the original is back when the walk ends.
      </p>
      <div className="flex flex-wrap gap-3">
        <Select label="Field" value={at} onChange={setAt} options={paths.map((path) => [path, path])} />
        <Select
          label="Values"
          value={only}
          onChange={setOnly}
          options={[
            ['', 'all'],
            ['valid', 'valid by the contract'],
            ['invalid', 'invalid by the contract'],
          ]}
        />
      </div>
      <ul
        className="max-h-72 overflow-y-auto rounded border border-line text-[13px]"
        data-boundaries={offered.length}
      >
        {offered.map((one) => (
          <li
            key={one.id}
            className="grid grid-cols-[11rem_minmax(0,1fr)_5rem] gap-3 border-line border-b px-3 py-1 last:border-b-0"
          >
            <span className="truncate">{one.says}</span>
            <code className="truncate text-xs">{one.shown}</code>
            <span className={one.validity === 'invalid' ? 'text-miss' : 'text-dim'} title={one.breach}>
              {one.validity}
            </span>
          </li>
        ))}
      </ul>
      {values.error && <ProblemNotice message={wrongIn(values.error)} />}
      {begin.error && <ProblemNotice message={wrongIn(begin.error)} />}
      <Button look="main" type="submit" disabled={begin.isPending || offered.length === 0}>
        Walk through {count(offered.length, 'value')}
      </Button>
    </form>
  );
}
