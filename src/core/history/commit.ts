/** Somebody named in a commit: untrusted text, cleaned only when shown. */
export type Person = { readonly name: string; readonly email: string };

/** One commit as the reader of git gives it. Bytes that are not UTF-8 are U+FFFD here. */
export type Commit = {
  readonly id: string;
  readonly parents: readonly string[];
  readonly author: Person;
  /** Subject, blank line, body. The reader bounds the subject to 1,000 characters and the body to 1 MiB. */
  readonly message: string;
  /** Whether the reader had to cut the message. */
  readonly cut: boolean;
  /**
   * Changed paths without rename detection; of a merge only those that differ from every parent; of a root all.
   * `/` between the parts, whatever the machine.
   */
  readonly paths: readonly string[];
};

/** The first line of a message. */
export function subjectOf(message: string): string {
  const end = message.indexOf('\n');
  return (end === -1 ? message : message.slice(0, end)).trim();
}
