import { type ClassValue, clsx } from 'clsx';
import { twMerge } from 'tailwind-merge';

/** Joins class names; of two that contradict each other the last one counts. */
export function cn(...classes: ClassValue[]): string {
  return twMerge(clsx(classes));
}
