import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { hashFile, readBytes } from '../world/file-bytes.ts';
import { exists, isFolder, namesIn, readTextIfThere, removeFile, whyNotWritable } from '../world/files.ts';
import { Incoming } from '../world/incoming.ts';
import { placeInside } from '../world/place-inside.ts';
import { sentBytes } from '../world/sent-file.ts';
import { systemFault } from '../world/system-fault.ts';
import { nothingKnown } from './access.ts';
import type { Connection } from './connection.ts';
import type { Access } from './parcel.ts';
import type { Store, TaggedText, Written } from './store.ts';

/** What is known of a folder. */
export type Shelf = {
  readonly name: string;
  /** Absolute path. */
  readonly top: string;
  readonly incoming: Incoming;
};

/** A folder of this machine, perhaps one that a web server shows. */
export function openFolder({ name, url }: Connection): Store {
  const shelf: Shelf = { name, top: url, incoming: new Incoming(url) };
  return {
    url,
    readerBase: pathToFileURL(`${url}/`).href,
    needsFolderPages: false,
    addressOf: (inside) => path.join(url, inside),
    pathAt: (address) => path.relative(url, address).split(path.sep).join('/'),
    presence: async (inside, parcel) => presenceIn(await below(shelf, inside), parcel),
    send: async (inside, parcel, moved) => {
      await writeNew(shelf, await below(shelf, inside), sentBytes(parcel, moved));
    },
    open: async (address) => readBytes(await below(shelf, path.relative(url, address))),
    read: async (inside) => {
      // Texts are compared whole, so that they need no tag.
      return { text: await readTextIfThere(await below(shelf, inside)), tag: null };
    },
    write: (inside, text, before) => writeIfSame(shelf, inside, { text, before }),
    ensure: async (inside, text) => {
      const place = await below(shelf, inside);
      if ((await readTextIfThere(place)) !== text) await shelf.incoming.rewrite(place, text);
    },
    remove: async (inside) => removeFile(await below(shelf, inside)),
    list: async (folder) => {
      const place = await below(shelf, folder);
      return (await isFolder(place)) ? namesIn(place) : [];
    },
    together: (work) => shelf.incoming.together(work),
    isAlone: () => shelf.incoming.isAlone,
    access: ({ mayWrite }) => access(shelf, mayWrite),
  };
}

/** No part of the path leads out, neither by `..` nor by a link that lies in the folder. */
export async function below({ top, name }: Pick<Shelf, 'top' | 'name'>, inside: string): Promise<string> {
  const place = path.resolve(top, inside);
  if (place.startsWith(top + path.sep)) return placeInside(top, inside, `a file of ${name}`);
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `${place} is outside ${name}`,
    why: `it is not below ${top}`,
    fix: 'Correct `under` of the destination',
  });
}

/** What lies at a place, compared with a parcel by its digest. */
export async function presenceIn(place: string, { sha256 }: { readonly sha256: string }) {
  if (!(await exists(place))) return { type: 'absent' } as const;
  const digest = await hashFile(place, 'sha256');
  if (digest === sha256) return { type: 'same', address: place } as const;
  return {
    type: 'different',
    why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${sha256.slice(0, 12)}…`,
  } as const;
}

/** Writes a file that must not be there yet. @throws DESTINATION_REFUSED, DISK_FULL, DISK_FAULT */
export async function writeNew(
  { incoming, name }: Shelf,
  place: string,
  chunks: AsyncIterable<Uint8Array>,
): Promise<void> {
  try {
    await incoming.write(place, chunks, true);
  } catch (cause) {
    if (isBevelstoneError(cause)) throw cause;
    const fault = systemFault(cause);
    if (fault !== null && isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT')) throw fault;
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `cannot write to ${name}`,
      why: cause instanceof Error ? cause.message : String(cause),
      fix: 'Check that the folder is writable and has free space',
      cause,
    });
  }
}

/** A rename knows no condition, so that the others wait meanwhile. */
async function writeIfSame(
  shelf: Shelf,
  inside: string,
  wish: { readonly text: string; readonly before: TaggedText },
): Promise<Written> {
  const { incoming } = shelf;
  if (!incoming.isAlone) return incoming.together(() => writeIfSame(shelf, inside, wish));
  const place = await below(shelf, inside);
  if ((await readTextIfThere(place)) !== wish.before.text) return 'changed-meanwhile';
  await incoming.rewrite(place, wish.text);
  return 'written';
}

/** Whether the folder, or the nearest one above it that is there, can be written to. @throws DESTINATION_REFUSED */
export async function access({ name, top, incoming }: Shelf, mayWrite: boolean): Promise<Access> {
  const { nearest, problem } = await whyNotWritable(top);
  const refuse = (why: string, cause?: unknown) =>
    new BevelstoneError('DESTINATION_REFUSED', {
      message: `cannot write to ${name}`,
      why,
      fix: 'Correct `url` of the destination, or the rights of that folder',
      cause,
    });
  if (problem !== null) throw refuse(`${nearest} ${problem}`);
  if (mayWrite && nearest === top) {
    const file = path.join(top, `probe-${randomBytes(6).toString('hex')}.txt`);
    try {
      await incoming.write(file, [Buffer.from('probe\n')], true);
      await removeFile(file);
    } catch (cause) {
      throw refuse(cause instanceof Error ? cause.message : String(cause), cause);
    }
  }
  return {
    ...nothingKnown,
    credential: 'none',
    why: nearest === top ? null : 'the folder is not there yet and will be made',
  };
}
