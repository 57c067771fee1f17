// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { FaultBoundary } from './FaultBoundary';

afterEach(() => {
  vi.restoreAllMocks();
  cleanup();
});

let broken = true;

function Page() {
  if (broken) throw new Error('berth is undefined');
  return <p>The berths</p>;
}

test('a page that fails says so, and comes back', () => {
  vi.spyOn(console, 'error').mockImplementation(() => {});
  const { rerender } = render(
    <FaultBoundary page="/calls">
      <Page />
    </FaultBoundary>,
  );
  expect(screen.getByRole('alert').textContent).toContain('berth is undefined');
  broken = false;
  fireEvent.click(screen.getByRole('button', { name: 'Show it again' }));
  expect(screen.getByText('The berths')).toBeTruthy();

  broken = true;
  rerender(
    <FaultBoundary page="/calls">
      <Page />
    </FaultBoundary>,
  );
  expect(screen.getByRole('alert')).toBeTruthy();
  broken = false;
  rerender(
    <FaultBoundary page="/lanes">
      <Page />
    </FaultBoundary>,
  );
  expect(screen.getByText('The berths')).toBeTruthy();
});
