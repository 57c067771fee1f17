import { cn } from '@/ui/cn';
import { bodyCell, headCell } from '@/ui/tableLook';
import { VariableCell } from './VariableCell';
import { namesOf, saidOf, type Table } from './variableTable';

interface Props {
  service: string;
  table: Table;
  sets: string[];
  inUse: string;
}

/** A row for each variable, a column for each set: what counts now is marked. */
export function VariableMatrix({ service, table, sets, inUse }: Props) {
  const names = namesOf(table);
  if (names.length === 0)
    return (
      <p className="border-line border-t px-5 py-3 text-dim">
        {service ? `${service} sets no variable itself.` : 'No variable is set yet.'}
      </p>
    );
  return (
    <div className="overflow-x-auto">
      <table aria-label="Variables" className="w-full border-line border-t text-[13px]">
        <thead>
          <tr className="border-line border-b">
            <th className={headCell}>Variable</th>
            <th className={headCell}>Value</th>
            {sets.map((set) => (
              <th key={set} className={headCell}>
                In set {set}
                {set === inUse && <strong className="font-medium text-good"> in use</strong>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name} className="border-line border-b bg-panel" data-variable={name}>
              <th scope="row" className={`${bodyCell} py-2.5 text-left font-medium font-mono text-xs`}>
                {name}
              </th>
              {['', ...sets].map((set) => {
                const taken = inUse !== '' && saidOf(table, inUse, name) !== undefined;
                const counts = taken ? set === inUse : set === '';
                return (
                  <td key={set} className={cn(bodyCell, 'py-1', counts || 'text-dim')}>
                    <VariableCell service={service} table={table} set={set} name={name} />
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
