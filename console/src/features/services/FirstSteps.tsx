import { CommandLine } from '@/ui/CommandLine';
import { ImportControl } from './ImportControl';
import { NewService } from './NewService';

/** What an empty environment shows: how to begin, by hand or by command. */
export function FirstSteps({ onImport }: { onImport(): void }) {
  return (
    <div className="grid max-w-[980px] gap-8 border-line border-t px-5 py-6 sm:grid-cols-2">
      <section>
        <h2 className="font-semibold text-base">Import a contract</h2>
        <p className="mt-1 mb-3 text-dim">
          Drop an OpenAPI or Swagger document on this page. Each of its operations answers at once, with its
          example or with data that fit its schema.
        </p>
        <div className="mb-3">
          <ImportControl onPress={onImport} />
        </div>
        <CommandLine command="rapidmimic import CONTRACT.yaml" />
      </section>
      <section>
        <h2 className="font-semibold text-base">Answer by hand</h2>
        <p className="mt-1 mb-3 text-dim">
          Make an empty service and say what it answers: method and path, then status, headers and body.
        </p>
        <div className="mb-3">
          <NewService />
        </div>
        <CommandLine command="rapidmimic mapping put SERVICE -f answers.mappings.yaml" />
      </section>
    </div>
  );
}
