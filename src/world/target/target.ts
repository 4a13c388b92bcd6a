import { createHash } from 'node:crypto';
import type { StepEnd } from '../step.ts';

/** What lies at a path of a target. Links are not followed. */
export type TargetEntry = {
  readonly type: 'file' | 'folder' | 'symlink' | 'special';
  /** Permission bits only. */
  readonly mode: number;
  readonly sizeBytes: number;
};

/** A command on a target. */
export type TargetCommand = {
  /** A line for the POSIX shell there. */
  readonly run: string;
  /** Folder that it runs in, absolute. */
  readonly folder: string;
  readonly env: Readonly<Record<string, string>>;
  readonly timeoutMs: number;
  /** Where its output goes, on this machine. */
  readonly log: string;
};

/**
 * A machine or a folder that releases are deployed to. Paths are absolute there, with `/` between parts. Every method throws
 * TARGET_REFUSED with the path when the target does not do what it was asked, TARGET_UNREACHABLE when it is gone.
 */
export type Target = {
  /** Where it is, for people and for the ledger. */
  readonly where: string;
  /** The folder of the deployment there, absolute. */
  readonly folder: string;
  /** What lies at a path; null when there is nothing. */
  readonly find: (path: string) => Promise<TargetEntry | null>;
  /** Names in a folder, sorted; empty where there is none. */
  readonly names: (path: string) => Promise<readonly string[]>;
  /** The bytes of a file, as they come. */
  readonly read: (path: string) => AsyncIterable<Uint8Array>;
  /** Writes a new file, flushed to the disk; there must be nothing at the path. */
  readonly write: (path: string, content: AsyncIterable<Uint8Array>, mode: number) => Promise<void>;
  /** Makes a folder and all above it, mode 0755 where they are new. */
  readonly makeFolder: (path: string) => Promise<void>;
  readonly makeLink: (path: string, linkname: string) => Promise<void>;
  readonly linkname: (path: string) => Promise<string>;
  /** Gives a file or a link another name in one step; what was there before is replaced. */
  readonly replace: (from: string, to: string) => Promise<void>;
  /** The same only where there is nothing yet. @returns whether it was done. */
  readonly claim: (from: string, to: string) => Promise<boolean>;
  readonly setMode: (path: string, mode: number) => Promise<void>;
  /** Removes a file or a link; it need not be there. */
  readonly remove: (path: string) => Promise<void>;
  /** Removes an empty folder. @returns false where it is not empty, or not there. */
  readonly removeFolder: (path: string) => Promise<boolean>;
  /** Runs a command. @throws the signal's reason. */
  readonly run: (command: TargetCommand) => Promise<StepEnd>;
  readonly close: () => Promise<void>;
};

/** Text of a small file; null when there is none. @throws RangeError when it is larger than 64 MiB. */
export async function readTargetText(target: Target, path: string): Promise<string | null> {
  const entry = await target.find(path);
  if (entry === null) return null;
  const chunks: Uint8Array[] = [];
  let sizeBytes = 0;
  for await (const chunk of target.read(path)) {
    sizeBytes += chunk.byteLength;
    if (sizeBytes > maxTextBytes) throw new RangeError(`${path} has more than ${maxTextBytes} bytes`);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

const maxTextBytes = 64 << 20;

/** Writes a small file completely or not at all. */
export async function writeTargetText(target: Target, path: string, text: string): Promise<void> {
  const fresh = `${path}.new`;
  await target.remove(fresh);
  await target.write(fresh, oneChunk(text), 0o644);
  await target.replace(fresh, path);
}

/** A text as the content of a file. */
export async function* oneChunk(text: string): AsyncGenerator<Uint8Array> {
  yield Buffer.from(text);
}

/** Removes a folder with all that is in it; links are removed and not followed. It need not be there. */
export async function removeTree(target: Target, path: string): Promise<void> {
  for (const name of await target.names(path)) {
    const inside = `${path}/${name}`;
    const entry = await target.find(inside);
    if (entry?.type === 'folder') await removeTree(target, inside);
    else await target.remove(inside);
  }
  await target.removeFolder(path);
}

/** SHA-256 of a file of a target, in hexadecimal. */
export async function targetDigest(target: Pick<Target, 'read'>, path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of target.read(path)) hash.update(chunk);
  return hash.digest('hex');
}
