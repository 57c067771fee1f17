/** The mark of the product: a wave, and its echo. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 32" width="20" height="20" aria-hidden>
      <rect width="32" height="32" rx="7" className="fill-accent" />
      <g fill="none" strokeWidth="2.6" strokeLinecap="round" className="stroke-accent-ink">
        <path d="M6 20c3.3 0 3.3-3 6.7-3s3.3 3 6.6 3 3.3-3 6.7-3" />
        <path d="M6 14c3.3 0 3.3-3 6.7-3s3.3 3 6.6 3 3.3-3 6.7-3" opacity="0.55" />
      </g>
    </svg>
  );
}
