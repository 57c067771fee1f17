import { type ComponentProps, lazy, Suspense } from 'react';

const ChangesForm = lazy(() => import('./ChangesForm').then((m) => ({ default: m.ChangesForm })));

/** The form of changes, fetched when it is first needed. */
export function ChangesView(props: ComponentProps<typeof ChangesForm>) {
  return (
    <Suspense fallback={<p className="text-dim">Opening the form …</p>}>
      <ChangesForm {...props} />
    </Suspense>
  );
}
