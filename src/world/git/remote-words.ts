import { cleanText } from '../../core/text/clean.ts';

const maxLines = 8;
const maxLineLength = 200;

/**
 * Why a push was refused: git's own line for each ref, then what hooks of the remote printed. Each line is cleaned and cut to
 * 200 characters; of many only the first are shown.
 * @param stderr what git printed on standard error.
 */
export function remoteMessage(refused: readonly string[], stderr: string): string {
  const words = stderr.split('\n').flatMap((line) => /^remote: ?(.*\S)/.exec(line)?.[1] ?? []);
  const own = stderr.split('\n').filter((line) => /^(?:fatal|error): /.test(line));
  const lines = [...refused, ...words.map((line) => `the remote says: ${line}`)];
  const shown = (lines.length > 0 ? lines : own).map((line) => clip(cleanText(line.replaceAll('\t', ' ')).trim()));
  if (shown.length === 0) return 'it could not be reached, or asks for a password';
  const more = shown.length - maxLines;
  return [...shown.slice(0, maxLines), ...(more > 0 ? [`and ${more} more lines`] : [])].join('\n');
}

function clip(line: string): string {
  return line.length <= maxLineLength ? line : `${line.slice(0, maxLineLength - 1)}…`;
}
