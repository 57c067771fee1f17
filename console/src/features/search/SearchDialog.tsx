import { useMutation, useQuery } from '@tanstack/react-query';
import { Search } from 'lucide-react';
import { type KeyboardEvent, useId, useLayoutEffect, useRef, useState } from 'react';
import { useLocation } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import { switchImpairments, useRefresh } from '@/features/impairments';
import { useSwitching } from '@/features/scenarios';
import { currentDensity, setDensity } from '@/lib/density';
import { currentTheme, setTheme } from '@/lib/theme';
import { useSettled } from '@/lib/useSettled';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { notify, notifyChange } from '@/ui/Notices';
import { searchFor } from './queries';
import {
  type Act,
  callTarget,
  fixedTargets,
  foundTargets,
  serviceOf,
  soughtIn,
  type Target,
} from './targets';

/** Finds what one wants to go to or do, by words; Ctrl K opens it anywhere. */
export function SearchDialog() {
  const [open, setOpen] = useState(false);
  // with the layout: whoever sees the page can press the keys
  useLayoutEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent) => {
      if (event.key.toLowerCase() !== 'k' || !(event.ctrlKey || event.metaKey) || event.altKey) return;
      event.preventDefault();
      setOpen((now) => !now);
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button look="bare" className="px-1.5" aria-label="Go to" title="Go to … (Ctrl K)">
          <Search size={16} aria-hidden />
        </Button>
      </DialogTrigger>
      <DialogContent title="Go to" className="top-24 translate-y-0">
        <Finder onDone={() => setOpen(false)} />
      </DialogContent>
    </Dialog>
  );
}

function Finder({ onDone }: { onDone(): void }) {
  const id = useId();
  const [path, navigate] = useLocation();
  const { data: status } = useStatus();
  const act = useActs();
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  const { words, toUse } = soughtIn(text);
  const query = useQuery(searchFor(useSettled(words, 120)));
  const found = words === '' ? [] : (query.data?.items ?? []);
  const targets = [
    ...callTarget(text),
    ...fixedTargets(text.trim(), { service: serviceOf(path), status }),
    ...found.flatMap(foundTargets).filter(({ act }) => !toUse || act),
  ];
  const chosen = Math.min(at, targets.length - 1);
  const take = (target?: Target) => {
    if (!target) return;
    onDone();
    if (target.href) navigate(target.href);
    else if (target.act) act(target.act);
  };
  const move = (to: number) => {
    const next = (to + targets.length) % Math.max(1, targets.length);
    setAt(next);
    list.current?.children[next]?.scrollIntoView({ block: 'nearest' });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') move(chosen + 1);
    else if (event.key === 'ArrowUp') move(chosen - 1);
    else if (event.key === 'Enter') take(targets[chosen]);
    else return;
    event.preventDefault();
  };
  return (
    <div className="space-y-2">
      <input
        autoFocus
        role="combobox"
        aria-label="Words of a service, operation, mapping, scenario, lane or action, or the id of a call"
        aria-expanded
        aria-controls={id}
        aria-activedescendant={chosen >= 0 ? `${id}-${chosen}` : undefined}
        autoComplete="off"
        placeholder="service, operation, mapping, scenario, lane, action, c-81f3"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        onKeyDown={onKeyDown}
        className="h-9 w-full rounded border border-line bg-panel px-3 text-sm placeholder:text-dim"
      />
      <div
        ref={list}
        id={id}
        role="listbox"
        aria-label="Where to"
        className="max-h-[50vh] overflow-y-auto text-[13px]"
      >
        {targets.map((target, i) => (
          <div
            key={target.key}
            id={`${id}-${i}`}
            role="option"
            tabIndex={-1}
            aria-selected={i === chosen}
            onPointerMove={() => setAt(i)}
            onClick={() => take(target)}
            onKeyDown={onKeyDown}
            className={cn(
              'flex cursor-pointer items-baseline gap-3 rounded px-2.5 py-1',
              i === chosen && 'bg-sunken',
            )}
          >
            <span className="w-20 shrink-0 text-dim text-xs">{target.kind}</span>
            <span className="shrink-0 font-medium">{target.title}</span>
            <span className="truncate text-dim">{target.says}</span>
          </div>
        ))}
      </div>
      {targets.length === 0 && !query.isFetching && (
        <p className="px-2.5 text-[13px] text-dim">Nothing has these words in it.</p>
      )}
      {query.data?.more && text && (
        <p className="px-2.5 text-dim text-xs">And more: one word more finds fewer.</p>
      )}
    </div>
  );
}

/** Does what can be done from anywhere. */
function useActs(): (act: Act) => void {
  const lane = useMyLane();
  const { flip } = useSwitching();
  const refresh = useRefresh();
  const impairments = useMutation({
    mutationFn: switchImpairments,
    onSuccess: async (_, off) => {
      notifyChange(off ? 'All impairments are off; they are kept' : 'The impairments are on again');
      await refresh();
    },
    onError: (error) => notify(error.message),
  });
  return (act) => {
    switch (act.do) {
      case 'stop impairments':
        return impairments.mutate(true);
      case 'resume impairments':
        return impairments.mutate(false);
      case 'scenario':
        return flip.mutate({ scenario: act.name, lane });
      case 'density':
        return setDensity(currentDensity() === 'dense' ? 'roomy' : 'dense');
      case 'theme':
        return setTheme(currentTheme() === 'dark' ? 'light' : 'dark');
    }
  };
}
