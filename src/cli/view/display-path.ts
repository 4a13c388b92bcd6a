import path from 'node:path';
import { cleanText } from '../../core/text/clean.ts';

/** A path as short as it can be typed from here: relative when it is below the current folder, else whole. */
export function displayPath(file: string): string {
  const relative = path.relative('', path.resolve(file));
  return cleanText(relative === '' ? '.' : relative.startsWith('..') ? path.resolve(file) : relative);
}
