import { Columns3 } from 'lucide-react';
import { useSyncExternalStore } from 'react';
import { Button } from '@/ui/Button';
import { CheckMenu } from '@/ui/CheckMenu';
import { type ColumnId, chosenColumns, columns, readColumns, shownColumns, withColumn } from './callColumns';

/** Chooses the columns of the list of calls; this browser keeps the choice. */
export function ChooseColumns() {
  const chosen = readColumns(useSyncExternalStore(chosenColumns.subscribe, chosenColumns.get));
  const shown = shownColumns(chosen, true).map(({ id }) => id);
  const items = columns
    .filter(({ id }) => id !== 'call')
    .map(({ id, title }): [ColumnId, string, boolean] => [id, title, shown.includes(id)]);
  return (
    <CheckMenu
      items={items}
      onToggle={(id, on) => chosenColumns.set(JSON.stringify(withColumn(shown, id, on)))}
    >
      <Button look="bare" className="px-1.5" aria-label="Columns" title="Columns">
        <Columns3 size={15} aria-hidden />
      </Button>
    </CheckMenu>
  );
}
