import type { ReactNode } from 'react';

/** A titled part of a page. */
export function Panel({ title, aside, children }: { title: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <section className="border-line border-t pt-3 pb-5 first:border-t-0 first:pt-0">
      <div className="mb-2 flex min-h-8 items-center justify-between gap-3 px-5">
        <h2 className="font-semibold text-[15px]">{title}</h2>
        {aside}
      </div>
      {children}
    </section>
  );
}
