import { isGone, type ProcessIdentity, parseIdentity } from './process-identity.ts';

/** Where the files of a lock are: `lock.N`, of which the highest counts. */
export type LockFiles = {
  readonly numbers: () => Promise<readonly number[]>;
  /** Makes a file that says who we are, complete from the first moment. @returns false where it is there already. */
  readonly create: (number: number) => Promise<boolean>;
  /** Null where it is gone. */
  readonly read: (number: number) => Promise<string | null>;
  readonly write: (number: number, text: string) => Promise<void>;
  /** It need not be there. */
  readonly remove: (number: number) => Promise<void>;
};

/** A lock that was taken, or who has it. */
export type LockAnswer =
  | { readonly type: 'taken'; readonly release: () => Promise<void> }
  | { readonly type: 'busy'; readonly number: number; readonly holder: ProcessIdentity };

const released = 'released\n';
/** Old files that stay, so that a process which listed the folder a moment ago never finds its number free again. */
const keptFiles = 8;

/**
 * Takes a lock. The lock is the file `lock.N` with the highest N: the process that creates the next number holds it, and
 * creating a file succeeds for one process only. So a lock left by a killed process is taken over by exactly one of those that
 * find it. It is taken over only when that process is certainly gone.
 */
export async function takeNumberedLock(files: LockFiles): Promise<LockAnswer> {
  for (;;) {
    const last = await highest(files);
    const holder = last === null ? 'free' : await readHolder(files, last);
    // Removed meanwhile: another process took a higher number.
    if (holder === 'missing') continue;
    if (last !== null && holder !== 'free' && !isGone(holder)) return { type: 'busy', number: last, holder };
    const next = (last ?? 0) + 1;
    if (!(await files.create(next))) continue;
    // Whoever was asleep since it listed the folder may have got a number that was used and cleared away before.
    if ((await highest(files)) !== next) {
      await files.remove(next);
      continue;
    }
    for (const old of await files.numbers()) if (old < next - keptFiles) await files.remove(old);
    // The file stays, with another text: its number must never be free again.
    return { type: 'taken', release: () => files.write(next, released) };
  }
}

/** The number in the name of a lock's file; null for any other file. */
export function lockNumber(name: string): number | null {
  const found = /^lock\.([1-9]\d{0,14})$/.exec(name)?.[1];
  return found === undefined ? null : Number(found);
}

async function highest(files: LockFiles): Promise<number | null> {
  const found = await files.numbers();
  return found.length === 0 ? null : Math.max(...found);
}

/** A lock is complete when it gets its name, so one that cannot be read lost its text with the power. */
async function readHolder(files: LockFiles, number: number): Promise<ProcessIdentity | 'free' | 'missing'> {
  const text = await files.read(number);
  if (text === null) return 'missing';
  return text === released ? 'free' : (parseIdentity(text) ?? 'free');
}
