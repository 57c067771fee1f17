import { Check } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { ReactNode } from 'react';

interface Props<Id extends string> {
  /** The button that opens it. */
  children: ReactNode;
  /** What can be on or off, with its words. */
  items: [id: Id, words: string, on: boolean][];
  onToggle(id: Id, on: boolean): void;
}

/** A menu of things that are on or off. It stays open while one chooses. */
export function CheckMenu<Id extends string>({ children, items, onToggle }: Props<Id>) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-30 min-w-44 rounded border border-line bg-panel py-1 text-[13px] shadow-lg"
        >
          {items.map(([id, words, on]) => (
            <DropdownMenu.CheckboxItem
              key={id}
              checked={on}
              onCheckedChange={(next) => onToggle(id, next)}
              onSelect={(event) => event.preventDefault()}
              className="flex cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-sunken"
            >
              <span className="w-4">
                <DropdownMenu.ItemIndicator>
                  <Check size={14} aria-hidden />
                </DropdownMenu.ItemIndicator>
              </span>
              {words}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
