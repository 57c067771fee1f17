import { describe, expect, test } from 'vitest';
import { drawFlow, stateHeight, stateWidth } from './flowLayout';

describe('a flow is drawn', () => {
  const flow = {
    states: ['start', 'draft', 'sent', 'refused', 'lost'],
    moves: [
      { mapping: 'write', from: ['start', 'draft'], to: 'draft' },
      { mapping: 'send', from: ['draft'], to: 'sent' },
      { mapping: 'send-late', from: ['draft'], to: 'sent' },
      { mapping: 'refuse', from: ['draft'], to: 'refused' },
      { mapping: 'again', from: ['sent'], to: 'draft' },
      { mapping: 'skip', from: ['start'], to: 'sent' },
      { mapping: 'read', from: ['sent'] },
      { mapping: 'lose', to: 'lost' },
    ],
  };
  const drawn = drawFlow(flow);
  const at = (state: string) => drawn.places.find((place) => place.state === state);

  test('from left to right, by the fewest moves', () => {
    expect(drawn.places.map((place) => place.state)).toEqual(flow.states);
    expect(at('start')?.x).toBeLessThan(at('draft')?.x ?? 0);
    expect(at('sent')?.x).toBe(at('draft')?.x);
    expect(at('lost')?.x).toBe(at('draft')?.x);
    expect(at('refused')?.x).toBeGreaterThan(at('draft')?.x ?? 0);
  });

  test('each state in a place of its own, and all within the picture', () => {
    expect(new Set(drawn.places.map((place) => `${place.x},${place.y}`)).size).toBe(5);
    for (const place of drawn.places) {
      expect(place.x + stateWidth).toBeLessThanOrEqual(drawn.width);
      expect(place.y + stateHeight).toBeLessThanOrEqual(drawn.height);
    }
  });

  test('with one line between two states, whatever moves along it', () => {
    expect(drawn.lines.map((line) => [line.from, line.to, line.mappings.join(' ')])).toEqual([
      ['start', 'draft', 'write'],
      ['draft', 'draft', 'write'],
      ['draft', 'sent', 'send send-late'],
      ['draft', 'refused', 'refuse'],
      ['sent', 'draft', 'again'],
      ['start', 'sent', 'skip'],
    ]);
    for (const line of drawn.lines) expect(line.path).toMatch(/^M\d/);
  });
});
