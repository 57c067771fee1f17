import type { ReactNode } from 'react';
import { cn } from './cn';

/** Each source of an answer has a shape, a colour and a word. */
const shapes: Record<string, ReactNode> = {
  mapping: <path d="M6 0.8 11.2 6 6 11.2 0.8 6Z" fill="currentColor" />,
  contract: <rect x="1.5" y="1.5" width="9" height="9" rx="1" fill="currentColor" />,
  upstream: <path d="M6 1 11 10.6H1Z" fill="currentColor" />,
  impairment: <path d="M7.4 0.6 2 7h3l-1 4.6L10 4.8H6.6Z" fill="currentColor" />,
  miss: <path d="M2 2 10 10M10 2 2 10" stroke="currentColor" strokeWidth="2.4" strokeLinecap="round" />,
  self: <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="2" />,
  callback: (
    <path
      d="M1.5 6h8M6 2.2 10 6 6 9.8"
      fill="none"
      stroke="currentColor"
      strokeWidth="2.2"
      strokeLinecap="round"
      strokeLinejoin="round"
    />
  ),
};

const colors: Record<string, string> = {
  mapping: 'text-mapping',
  contract: 'text-contract',
  upstream: 'text-upstream',
  impairment: 'text-impairment',
  miss: 'text-miss',
  self: 'text-self',
  callback: 'text-callback',
};

export function SourceMark({ source, className }: { source: string; className?: string }) {
  return (
    <span className={cn('inline-flex items-center gap-1.5', colors[source], className)}>
      <svg width="12" height="12" viewBox="0 0 12 12" className="shrink-0" aria-hidden="true">
        {shapes[source]}
      </svg>
      <span className="font-medium">{source}</span>
    </span>
  );
}
