import { useEffect, useState } from 'react';
import { feed } from '@/features/calls';
import { type CallGroup, groupMisses } from './groups';
import { type Pulses, pulsesOf } from './pulses';

export interface Traffic {
  pulses: Pulses;
  missing: CallGroup[];
}

/** How often what the calls of a service tell is worked out anew, in milliseconds: when calls came, and when none did. */
const every = 1_000;
const everyIdle = 15_000;

/** What the live calls tell of a service, in a lane or with '' in all: once a second, since there are many. */
export function useTraffic(service: string, lane: string): Traffic {
  const [traffic, setTraffic] = useState(() => trafficOf(service, lane));
  useEffect(() => {
    let of = feed.get().calls;
    let at = Date.now();
    setTraffic(trafficOf(service, lane));
    const timer = setInterval(() => {
      if (of === feed.get().calls && Date.now() - at < everyIdle) return;
      of = feed.get().calls;
      at = Date.now();
      setTraffic(trafficOf(service, lane));
    }, every);
    return () => clearInterval(timer);
  }, [service, lane]);
  return traffic;
}

function trafficOf(service: string, lane: string): Traffic {
  const { calls } = feed.get();
  return {
    pulses: pulsesOf(calls, service, lane, Date.now()),
    missing: groupMisses(calls, service, lane),
  };
}
