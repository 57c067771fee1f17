import { Link } from 'wouter';
import type { Service } from '@/api/types';
import { ImpairmentMark } from '@/features/impairments';
import { useAddress } from '@/features/lanes';
import { total } from '@/lib/format';
import { CopyButton } from '@/ui/CopyButton';
import { SourceBar } from '@/ui/SourceBar';
import { bodyCell, headCell } from '@/ui/tableLook';
import { ModeSwitch } from './ModeSwitch';

const cell = `${bodyCell} py-3`;

/** One row a service: where it is, what it has, who answered lately. */
export function ServiceTable({ services }: { services: Service[] }) {
  return (
    <table aria-label="Services" className="w-full border-line border-t">
      <thead>
        <tr className="border-line border-b">
          <th className={headCell}>Service</th>
          <th className={headCell}>Address</th>
          <th className={headCell}>Mode</th>
          <th className={`${headCell} text-right`}>Operations</th>
          <th className={`${headCell} text-right`}>Mappings</th>
          <th className={`${headCell} text-right`}>Calls in the last minute</th>
          <th className={headCell}>Who answered, last five minutes</th>
        </tr>
      </thead>
      <tbody>
        {services.map((service) => (
          <ServiceRow key={service.id} service={service} />
        ))}
      </tbody>
    </table>
  );
}

function ServiceRow({ service }: { service: Service }) {
  const address = useAddress(service.address);
  return (
    <tr className="border-line border-b bg-panel" data-service={service.name}>
      <td className={cell}>
        <Link
          href={`/services/${encodeURIComponent(service.name)}`}
          className="font-semibold text-accent hover:underline"
        >
          {service.name}
        </Link>
        <p className="text-[13px] text-dim">{service.title}</p>
        <ImpairmentMark service={service.name} />
      </td>
      <td className={cell}>
        <span className="flex items-center gap-1">
          <code className="text-xs">{address}</code>
          <CopyButton text={address} what={`address of ${service.name}`} />
        </span>
      </td>
      <td className={cell}>
        <ModeSwitch service={service} />
      </td>
      <td className={`${cell} text-right tabular-nums`}>{service.operations}</td>
      <td className={`${cell} text-right tabular-nums`}>{service.mappings}</td>
      <td className={`${cell} text-right tabular-nums`}>{total(service.lastMinute)}</td>
      <td className={cell}>
        <SourceBar counts={lastMinutes(service)} />
      </td>
    </tr>
  );
}

function lastMinutes(service: Service): Record<string, number> {
  const all: Record<string, number> = {};
  for (const minute of service.recent) {
    for (const [source, n] of Object.entries(minute)) all[source] = (all[source] ?? 0) + n;
  }
  return all;
}
