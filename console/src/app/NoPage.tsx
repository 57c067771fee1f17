import { Link } from 'wouter';

/** Stands where the address leads to no page. */
export function NoPage() {
  return (
    <div className="px-5 py-8">
      <p className="mb-2 font-medium text-base">There is no page at {location.pathname}.</p>
      <p className="text-dim">
        The console has{' '}
        <Link href="/" className="text-accent underline">
          services
        </Link>{' '}
        and{' '}
        <Link href="/calls" className="text-accent underline">
          calls
        </Link>
        . Programs call the services on another port.
      </p>
    </div>
  );
}
