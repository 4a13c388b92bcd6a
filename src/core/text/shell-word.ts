/** A text as one word of a POSIX shell (POSIX.1-2017, Shell Command Language, §2.2.2), for commands that people paste. */
export function shellWord(text: string): string {
  return /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`;
}
