import type { ReactNode } from 'react';
import { CommandLine } from '@/ui/CommandLine';
import { ImportControl } from './ImportControl';
import { NewService } from './NewService';

/** What an empty environment shows: how to begin, by hand or by command. */
export function FirstSteps({ onImport }: { onImport(): void }) {
  return (
    <div className="space-y-6 border-line border-t px-5 py-6">
      <p className="max-w-[72ch]">
        There is no service yet. Begin in one of three ways; a minute later your program gets its first answer
        from here.
      </p>
      <div className="grid max-w-[1180px] gap-8 md:grid-cols-3">
        <Step
          title="From its contract"
          command="rapidmimic import CONTRACT.yaml"
          start={<ImportControl onPress={onImport} />}
        >
          Drop an OpenAPI or Swagger document on this page. Each of its operations answers at once, with its
          example or with data that fit its schema.
        </Step>
        <Step
          title="From the real service"
          command="rapidmimic record SERVICE"
          start={<NewService words="Record the real one" toRecord />}
        >
          Have your program call through here once, and play back what the real service answered: to the byte,
          also when it is away.
        </Step>
        <Step
          title="By hand"
          command="rapidmimic mapping put SERVICE -f answers.mappings.yaml"
          start={<NewService />}
        >
          Make an empty service and say what it answers: method and path, then status, headers and body.
        </Step>
      </div>
    </div>
  );
}

interface StepProps {
  title: string;
  command: string;
  start: ReactNode;
  children: ReactNode;
}

function Step({ title, command, start, children }: StepProps) {
  return (
    <section className="flex flex-col gap-3">
      <h2 className="font-semibold text-base">{title}</h2>
      <p className="flex-1 text-dim">{children}</p>
      <div>{start}</div>
      <CommandLine command={command} />
    </section>
  );
}
