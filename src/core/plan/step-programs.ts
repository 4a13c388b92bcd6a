/** What a step starts, as far as its text says: the program, and a script that is given to it. */
export type StepProgram = { readonly program: string; readonly script: string | null };

/** The first program that a shell command starts; null where the text alone does not say. */
export function stepProgram(run: string): StepProgram | null {
  const words = run
    .trim()
    .split(/\s+/)
    .filter(
      (word, index, all) => !isSetting(word) && !(word === 'exec' && index === all.findIndex((one) => !isSetting(one))),
    );
  const [first = '', ...rest] = words[0] === 'env' ? words.slice(1) : words;
  if (first === '' || /["'`$(){}<>|;&*?[\]\\#!]/.test(first)) return null;
  const script = rest.find((word) => !word.startsWith('-')) ?? null;
  // `-c TEXT`, `-m NAME` and the like are no scripts.
  const isText = rest.some((word) => /^-[A-Za-z]*[cem]$/.test(word));
  return { program: first, script: script === null || isText || /["'`$(){}<>|;&*?]/.test(script) ? null : script };
}

function isSetting(word: string): boolean {
  return /^[A-Za-z_]\w*=[^"'`$]*$/.test(word);
}

/** The interpreter that a script names in its first line: a path, or a name that is looked up; null for none. */
export function interpreterOf(head: string): string | null {
  const [, line = ''] = /^#![ \t]*([^\n]*)/.exec(head) ?? [];
  const [program = '', ...rest] = line.trim().split(/\s+/);
  if (!/(?:^|\/)env$/.test(program)) return program === '' ? null : program;
  return rest.find((word) => !word.startsWith('-') && !word.includes('=')) ?? null;
}

/** What programs have in common that are versions of one: `python` for `/usr/bin/python3.11`. */
export function familyOf(program: string): string {
  return (program.split('/').at(-1) ?? '').replace(/[-.\d]+$/, '');
}
