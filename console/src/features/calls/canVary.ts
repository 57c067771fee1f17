import type { CallDetail } from '@/api/types';
import { isJson } from '@/lib/format';

/** Whether the answer is a document of a mapping or of the contract, whose fields can be varied. */
export const canVary = ({ source, operation, answer }: CallDetail) =>
  (source === 'mapping' || (source === 'contract' && !!operation)) &&
  !answer.truncated &&
  isJson(answer.body);
