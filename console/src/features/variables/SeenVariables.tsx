import { useQuery } from '@tanstack/react-query';
import { Awaited } from '@/ui/Awaited';
import { bodyCell, headCell } from '@/ui/tableLook';
import { seenVariables } from './queries';
import { textOf } from './variableTable';

/** What the calls of a service see, whoever sets it. */
export function SeenVariables({ service }: { service: string }) {
  const query = useQuery(seenVariables(service));
  return (
    <Awaited query={query} what="what the calls see">
      {({ items }) =>
        items.length > 0 && (
          <section aria-label={`What calls to ${service} see`}>
            <h2 className="px-5 pt-3 pb-2 font-semibold">What calls to {service} see</h2>
            <table
              aria-label="Variables as a service sees them"
              className="w-full border-line border-t text-[13px]"
            >
              <thead>
                <tr className="border-line border-b">
                  <th className={headCell}>Variable</th>
                  <th className={headCell}>Value</th>
                  <th className={headCell}>Set by</th>
                </tr>
              </thead>
              <tbody>
                {items.map(({ name, value, secret, missing, origin }) => (
                  <tr key={name} className="border-line border-b bg-panel" data-seen={name}>
                    <th scope="row" className={`${bodyCell} py-1.5 text-left font-medium font-mono text-xs`}>
                      {name}
                    </th>
                    <td className={`${bodyCell} break-all py-1.5 font-mono text-xs`}>
                      {missing ? (
                        <span className="font-sans text-bad">secret, has no value here</span>
                      ) : secret ? (
                        <span className="font-sans">secret</span>
                      ) : (
                        textOf(value)
                      )}
                    </td>
                    <td className={`${bodyCell} py-1.5`}>{origin}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        )
      }
    </Awaited>
  );
}
