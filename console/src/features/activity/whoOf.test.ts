import { expect, it } from 'vitest';
import { whoOf } from './whoOf';

it.each([
  [{ by: 'mara', via: 'console' }, 'mara in the console'],
  [{ by: 'mara', via: 'command' }, 'mara by command'],
  [{ via: 'API' }, 'Somebody by the API'],
  [{ by: 'ci', via: 'folder' }, 'ci from a folder'],
  [{}, 'Rapid Mimic by itself'],
  [{ by: 'mara' }, 'mara '],
])('%j is %s', (entry, want) => {
  const { name, way } = whoOf(entry);
  expect(`${name} ${way}`).toBe(want);
});
