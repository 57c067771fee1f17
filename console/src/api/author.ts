import { remembered } from '@/lib/remembered';

/** The name under which changes made in this browser are kept. */
export const author = remembered('rapid-mimic.author');
