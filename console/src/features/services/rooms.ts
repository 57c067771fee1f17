import type { Service } from '@/api/types';

/** A room of a service: a part of it with an address of its own. */
export interface Room {
  /** The last part of its address; '' for the first room. */
  id: string;
  word: string;
}

const all: Room[] = [
  { id: '', word: 'Answers' },
  { id: 'calls', word: 'Calls' },
  { id: 'trouble', word: 'Trouble' },
  { id: 'recordings', word: 'Recordings' },
  { id: 'memory', word: 'Memory' },
  { id: 'callbacks', word: 'Callbacks' },
  { id: 'contract', word: 'Contract' },
  { id: 'settings', word: 'Settings' },
];

/** The rooms that a service has. */
export function roomsOf(service: Service): Room[] {
  const calls = service.contract?.callbacks || service.contract?.webhooks || service.callbacks;
  return all.filter(({ id }) => id !== 'callbacks' || calls);
}

/** Where a room is. */
export function addressOf(service: string, room: string): string {
  return `/services/${encodeURIComponent(service)}${room && `/${room}`}`;
}
