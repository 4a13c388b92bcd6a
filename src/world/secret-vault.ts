import { closeSync, openSync, readFileSync, writeSync } from 'node:fs';

type Env = Readonly<Record<string, string | undefined>>;

const hidden = new Map<string, string>();

/**
 * Takes variables out of this process's environment, so that no child inherits them and none can read them in
 * `/proc/PID/environ` either. Their values are given by `hiddenVariable` from then on. An environment that is not the
 * process's own stays as it is.
 * @returns names of variables whose value could not be removed from the block that the system shows.
 */
export function hideVariables(names: readonly string[], env: Env): string[] {
  if (env !== process.env) return [];
  const found = names.filter((name) => process.env[name] !== undefined && process.env[name] !== '');
  if (found.length === 0) return [];
  for (const name of found) {
    hidden.set(name, process.env[name] ?? '');
    delete process.env[name];
  }
  return eraseFromBlock(found);
}

/** The value of a variable that was hidden. */
export function hiddenVariable(name: string): string | undefined {
  return hidden.get(name);
}

/** The environment with the hidden variables in it again: for git when it talks to a remote, whose helpers may need them. */
export function withHidden(env: Env): Env {
  return hidden.size === 0 || env !== process.env ? env : { ...env, ...Object.fromEntries(hidden) };
}

/**
 * Overwrites values in the block of memory that the system shows as `/proc/PID/environ` (proc(5)). Unsetting a variable only
 * forgets where it stands; the block itself stays until the process ends.
 * @returns names that are still readable there; none where the system shows no such block.
 */
function eraseFromBlock(names: readonly string[]): string[] {
  const before = readBlock();
  if (before === null) return [];
  try {
    const start = blockStart();
    const memory = openSync('/proc/self/mem', 'r+');
    try {
      for (const { at, length } of valuesIn(before, names))
        writeSync(memory, Buffer.alloc(length, 'x'), 0, length, start + at);
    } finally {
      closeSync(memory);
    }
  } catch {
    // Whatever went wrong, what can be read afterwards decides.
  }
  const after = readBlock();
  return after === null ? [] : names.filter((name) => holds(after, name));
}

type Span = { readonly at: number; readonly length: number };

/** Where the values of the variables stand in the block. A name may stand there more than once. */
function valuesIn(block: Buffer, names: readonly string[]): Span[] {
  const spans: Span[] = [];
  for (let at = 0; at < block.length; ) {
    const end = block.indexOf(0, at);
    const stop = end === -1 ? block.length : end;
    const equals = block.indexOf('=', at);
    if (equals !== -1 && equals < stop && names.includes(block.toString('utf8', at, equals)))
      spans.push({ at: equals + 1, length: stop - equals - 1 });
    at = stop + 1;
  }
  return spans;
}

function holds(block: Buffer, name: string): boolean {
  const value = Buffer.from(hidden.get(name) ?? '');
  return valuesIn(block, [name]).some(({ at, length }) => block.subarray(at, at + length).equals(value));
}

function readBlock(): Buffer | null {
  try {
    return readFileSync('/proc/self/environ');
  } catch {
    return null;
  }
}

/** Field 50 of /proc/self/stat, `env_start`. The name before the fields may hold anything. */
function blockStart(): number {
  const text = readFileSync('/proc/self/stat', 'utf8');
  const start = Number(text.slice(text.lastIndexOf(')') + 2).split(' ')[47]);
  if (!Number.isSafeInteger(start) || start <= 0) throw new Error('the system does not say where the environment is');
  return start;
}
