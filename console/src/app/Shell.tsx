import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link, useLocation } from 'wouter';
import { meQuery } from '@/api/me';
import { useGeneralTitle } from '@/lib/title';
import { cn } from '@/ui/cn';
import { Notices } from '@/ui/Notices';
import { StateStrip } from './StateStrip';

const tabs = [
  { href: '/', word: 'Services', owns: (path: string) => path === '/' || path.startsWith('/services') },
  { href: '/calls', word: 'Calls', owns: (path: string) => path.startsWith('/calls') },
  { href: '/scenarios', word: 'Scenarios', owns: (path: string) => path === '/scenarios' },
  { href: '/lanes', word: 'Lanes', owns: (path: string) => path === '/lanes' },
  { href: '/variables', word: 'Variables', owns: (path: string) => path === '/variables' },
  { href: '/activity', word: 'Activity', owns: (path: string) => path === '/activity' },
  { href: '/retries', word: 'Retries', owns: (path: string) => path === '/retries' },
  { href: '/tokens', word: 'Tokens', owns: (path: string) => path === '/tokens', admin: true },
  { href: '/reference', word: 'API', owns: (path: string) => path.startsWith('/reference') },
];

/** The state strip, the tabs, and the page below them. */
export function Shell({ children }: { children: ReactNode }) {
  const [path] = useLocation();
  const { data: me } = useQuery(meQuery());
  useGeneralTitle(tabs.find(({ owns }) => owns(path))?.word.toLowerCase() ?? '');
  const administers = me?.needToken === true && me.role === 'admin';
  return (
    <div className="flex h-full flex-col">
      <StateStrip />
      <nav aria-label="Pages" className="flex shrink-0 gap-1 border-line border-b bg-panel px-3">
        {tabs
          .filter(({ admin }) => !admin || administers)
          .map(({ href, word, owns }) => (
            <Link
              key={href}
              href={href}
              aria-current={owns(path) ? 'page' : undefined}
              className={cn(
                '-mb-px border-transparent border-b-2 px-2.5 py-2 font-medium text-[13px] text-dim hover:text-ink',
                owns(path) && 'border-accent text-ink',
              )}
            >
              {word}
            </Link>
          ))}
      </nav>
      <main className="relative min-h-0 flex-1 overflow-clip">{children}</main>
      <Notices />
    </div>
  );
}
