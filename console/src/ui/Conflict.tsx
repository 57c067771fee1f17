import { Button } from './Button';
import { DiffView } from './DiffView';
import { ProblemNotice } from './ProblemNotice';

interface Props {
  message: string;
  /** What is kept now; missing while it is read. */
  theirs?: string;
  mine: string;
  onMine(): void;
  onTheirs(): void;
}

/** Somebody else was faster: both versions side by side, and a choice of which one stays. */
export function Conflict({ message, theirs, mine, onMine, onTheirs }: Props) {
  return (
    <>
      <ProblemNotice message={message}>
        <Button onClick={onMine}>Save mine over it</Button>
        <Button onClick={onTheirs}>Take theirs</Button>
      </ProblemNotice>
      {theirs !== undefined && (
        <div className="max-h-64 shrink-0 overflow-auto">
          <DiffView before={theirs} after={mine} titles={['Theirs, as it is kept', 'Yours']} />
        </div>
      )}
    </>
  );
}
