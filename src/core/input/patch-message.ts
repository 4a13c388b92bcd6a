import { patchSubject } from './patch-text.ts';

/** The trailer by which a commit of the patched sources names the patch that it becomes. */
const trailer = 'Patch';

/** A commit message that stands for a patch: what its header says, and its file. */
export function messageOf(header: string, file: string): string {
  return [subjectOf(header, file), bodyOf(header), `${trailer}: ${file}`].filter((part) => part !== '').join('\n\n');
}

/** What a commit message says: the file that it names, null for none, and the rest. */
export function readMessage(message: string): { readonly file: string | null; readonly text: string } {
  const found = new RegExp(`\\n?^${trailer}: (.+)$`, 'm').exec(message);
  const text = found === null ? message : message.slice(0, found.index) + message.slice(found.index + found[0].length);
  return { file: found?.[1]?.trim() ?? null, text: text.trim() };
}

/** Whether a message still says what the header says. */
export function saysTheSame(message: string, header: string, file: string): boolean {
  return readMessage(message).text === readMessage(messageOf(header, file)).text;
}

/** The header of a patch for what a commit message says. @param before the one that it had, whose other fields stay. */
export function headerOf({
  text,
  author,
  before,
}: {
  readonly text: string;
  readonly author: string;
  readonly before: string | null;
}): string {
  const [subject = '', ...rest] = text.split('\n');
  const body = rest.join('\n').trim();
  const fields = (before ?? '')
    .replace(/\r?\n[ \t]+/g, ' ')
    .split(/\r?\n\r?\n/)[0]
    ?.split(/\r?\n/)
    .filter((line) => /^(?:From |[A-Za-z-]+: )/.test(line) && !/^Subject:/i.test(line));
  const kept = fields !== undefined && fields.length > 0 ? fields : [`From: ${author}`];
  return [[...kept, `Subject: ${subject}`].join('\n'), body]
    .filter((part) => part !== '')
    .join('\n\n')
    .concat('\n\n');
}

function subjectOf(header: string, file: string): string {
  return patchSubject(header) ?? file.replace(/^.*\//, '').replace(/\.(?:patch|diff)$/, '');
}

/** What stands below the fields and the subject. */
function bodyOf(header: string): string {
  const text = header.replaceAll('\r', '');
  const isMail = /^(?:From |[A-Za-z-]+: )/.test(text);
  const below = isMail ? text.slice((text.indexOf('\n\n') + 1 || text.length + 1) - 1) : text.replace(/^.*\n?/, '');
  return below.replace(/^---\n[\s\S]*/m, '').trim();
}

/**
 * Names of new patches between those that are there: a number behind that of the patch before, and the words of the subject.
 * @param before name of the patch before it; null for the first. @param taken names that are there.
 */
export function newPatchName(subject: string, before: string | null, taken: readonly string[]): string {
  const words =
    subject
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 50) || 'change';
  const numbers = taken.flatMap((name) => /^(\d+)/.exec(name)?.[1] ?? []);
  const width = Math.max(4, ...numbers.map(({ length }) => length));
  const sorted = [...taken].sort();
  const isLast = before === null ? sorted.length === 0 : sorted.at(-1) === before;
  if (isLast) {
    const next = 1 + Math.max(0, ...numbers.map(Number));
    return `${String(next).padStart(width, '0')}-${words}.patch`;
  }
  // Between two: behind the number before, so that no name changes.
  const number = before === null ? '0'.repeat(width) : (/^\d+[a-z]*/.exec(before)?.[0] ?? '');
  return `${number}${before === null ? '' : 'a'}-${words}.patch`;
}
