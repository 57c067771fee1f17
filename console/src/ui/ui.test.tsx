// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { Awaited } from './Awaited';
import { Field } from './Field';
import { Notices, notify } from './Notices';
import { Quoted } from './Quoted';
import { SourceBar } from './SourceBar';

afterEach(cleanup);

describe('Awaited', () => {
  const show = (query: { data?: string; error: Error | null }) =>
    render(
      <Awaited query={query} what="the calls">
        {(data) => <p>{data}</p>}
      </Awaited>,
    );
  it('waits, then shows, and says why it cannot', () => {
    show({ error: null });
    expect(screen.getByRole('status').textContent).toContain('Reading the calls');
    cleanup();
    show({ data: '', error: null });
    expect(screen.queryByRole('status')).toBeNull();
    cleanup();
    show({ error: new Error('no such call') });
    expect(screen.getByRole('alert').textContent).toContain('no such call');
    cleanup();
    show({ data: 'as it was', error: new Error('gone since') });
    expect(screen.getByText('as it was')).toBeTruthy();
  });
});

describe('Field', () => {
  it('ties its fault to the input', () => {
    render(<Field label="Status" fault="A number from 200 to 999" defaultValue="x" />);
    const input = screen.getByLabelText('Status');
    expect(input.getAttribute('aria-invalid')).toBe('true');
    expect(document.getElementById(input.getAttribute('aria-describedby') ?? '')?.textContent).toContain(
      '200 to 999',
    );
  });
});

describe('SourceBar', () => {
  it('says who answered in words and numbers', () => {
    const { container } = render(<SourceBar counts={{ miss: 1, contract: 3 }} />);
    expect(container.textContent).toBe('contract 3miss 1');
    const widths = [...container.querySelectorAll('svg rect[width]')].map((r) =>
      Number(r.getAttribute('width')),
    );
    expect(widths.slice(0, 2)).toEqual([119, 39]);
  });
  it('says so when there were none', () => {
    expect(render(<SourceBar counts={{ miss: 0 }} />).container.textContent).toBe('no calls');
  });
});

describe('Quoted', () => {
  it('sets what stands in backquotes apart', () => {
    const { container } = render(<Quoted text="segment 1: `bertsh`, expected `berths`" />);
    expect([...container.querySelectorAll('code')].map((c) => c.textContent)).toEqual(['bertsh', 'berths']);
    expect(container.textContent).toBe('segment 1: bertsh, expected berths');
  });
});

describe('Notices', () => {
  it('undoes once and goes', async () => {
    const undo = vi.fn();
    render(<Notices />);
    notify('night was removed', undo);
    fireEvent.click(await screen.findByRole('button', { name: 'Undo' }));
    expect(undo).toHaveBeenCalledTimes(1);
    expect(screen.queryByText('night was removed')).toBeNull();
  });
});
