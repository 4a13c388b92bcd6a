import { stripVTControlCharacters } from 'node:util';
import wrapAnsi from 'wrap-ansi';
import type { Screen } from './screen.ts';

/** Fewer columns than this beside a label are not worth breaking text for. */
const minWidth = 20;

/**
 * A beginning, such as a mark or a label, and the text after it. On a terminal the text is broken between words at the
 * edge, and goes on below where it began; into a file or a pipe each of its lines goes whole.
 */
export function beside(beginning: string, text: string, { columns, isTerminal }: Screen): string {
  const hang = stripVTControlCharacters(beginning).length;
  const shown = isTerminal ? wrapAnsi(text, Math.max(minWidth, columns - hang)) : text;
  return beginning + shown.replaceAll('\n', `\n${' '.repeat(hang)}`);
}

/** Text indented by this many spaces, broken like `beside`. */
export function indented(spaces: number, text: string, screen: Screen): string {
  return beside(' '.repeat(spaces), text, screen);
}
