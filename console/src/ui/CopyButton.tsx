import { Check, Copy } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Button } from './Button';

interface Props {
  text: string;
  /** What is copied, for the button's accessible name: "address". */
  what: string;
  children?: string;
}

export function CopyButton({ text, what, children }: Props) {
  const [copied, setCopied] = useState(false);
  useEffect(() => {
    if (!copied) return;
    const timer = setTimeout(() => setCopied(false), 1500);
    return () => clearTimeout(timer);
  }, [copied]);
  const Icon = copied ? Check : Copy;
  return (
    <Button
      look={children ? 'plain' : 'bare'}
      className={children ? '' : 'h-6 px-1.5'}
      aria-label={children ? undefined : `Copy ${what}`}
      onClick={async () => {
        await navigator.clipboard.writeText(text);
        setCopied(true);
      }}
    >
      <Icon size={14} aria-hidden />
      {copied && children ? 'Copied' : children}
      <span className="sr-only" aria-live="polite">
        {copied ? `${what} copied` : ''}
      </span>
    </Button>
  );
}
