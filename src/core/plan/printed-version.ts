import { isSameVersion } from '../version/loose-version.ts';

/** Programs of the system that trial commands start with: their `--version` is their own. */
const systemPrograms =
  /^(?:node|npm|npx|pip3?|python[\d.]*|java|javac|mvn|gradle|dotnet|cc|gcc|g\+\+|clang|cmake|make|pkg-config|sh|bash|git|cargo|rustc|go|env)$/;

/**
 * What is wrong with the output of a trial command that asks an installed program for its version.
 * @param versions that were installed, in every spelling.
 * @returns null when the command asks something else, when the output names one of the versions, or names none at all.
 */
export function wrongPrintedVersion(
  line: string,
  output: readonly string[],
  versions: readonly string[],
): string | null {
  const words = line
    .trim()
    .replace(/^npx (?:--\S+ )*/, '')
    .split(/\s+/);
  const program = words[0]?.split('/').at(-1) ?? '';
  if (words.length !== 2 || words[1] !== '--version' || systemPrograms.test(program)) return null;
  const printed = output.join('\n').match(/(?<![\w.])v?\d+(?:\.\d+){1,3}(?:[-.+]?[A-Za-z][\w.+-]*|-[\w.+-]+)?/g) ?? [];
  const plain = printed.map((text) => text.replace(/^v/, ''));
  if (plain.length === 0 || plain.some((text) => versions.some((version) => isSameVersion(text, version)))) return null;
  return `it prints ${plain[0]}, and ${versions[0]} was installed`;
}
