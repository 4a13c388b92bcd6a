import { readFileSync } from 'node:fs';

/**
 * The help text that the build laid out, so that nothing has to be loaded to print it. Only the entry of the program may load
 * this: the texts lie beside it.
 * @param words what was typed before --help. @param columns of the terminal; undefined for none.
 * @returns null when there is none for these words or this width.
 */
export function preparedHelp(words: readonly string[], columns: number | undefined): string | null {
  if (!words.every((word) => /^[a-z]+$/.test(word))) return null;
  const file = `help/${Math.min(100, columns ?? 80)}/${['bevelstone', ...words].join('-')}.txt`;
  try {
    return readFileSync(new URL(file, import.meta.url), 'utf8');
  } catch {
    // Then the parser answers.
    return null;
  }
}
