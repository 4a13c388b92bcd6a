import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, mkdir, open, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { exists } from '../world/files.ts';
import type { Confirmation, Destination, Parcel, Presence } from './destination.ts';

/** A plain folder: each artifact lies below `under`, its digest beside it. */
export function folderDestination(settings: {
  readonly name: string;
  readonly folder: string;
  readonly under: string;
}): Destination {
  const { name, folder, under } = settings;
  const placeOf = (parcel: Parcel) => {
    const inside = under.replaceAll('{package}', parcel.packageName).replaceAll('{version}', parcel.version);
    const place = path.resolve(folder, inside, parcel.fileName);
    if (place.startsWith(path.resolve(folder) + path.sep)) return place;
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `${name} would be left: ${place}`,
      why: `it is not below ${folder}`,
      fix: 'Correct `under` of the destination',
    });
  };

  const find = async (parcel: Parcel): Promise<Presence> => {
    const place = placeOf(parcel);
    if (!(await exists(place))) return { type: 'absent' };
    const digest = await digestOf(place);
    if (digest === parcel.sha256) return { type: 'same', address: place };
    return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
  };

  const deliver = async (parcel: Parcel): Promise<string> => {
    const place = placeOf(parcel);
    const temporary = `${place}.${process.pid}.tmp`;
    try {
      await mkdir(path.dirname(place), { recursive: true });
      await copyFile(parcel.file, temporary);
      await flush(temporary);
      await rename(temporary, place);
    } catch (cause) {
      throw new BevelstoneError('DESTINATION_REFUSED', {
        message: `${name} could not be written`,
        why: cause instanceof Error ? cause.message : String(cause),
        fix: 'Make sure that the folder can be written and has room',
        cause,
      });
    } finally {
      await rm(temporary, { force: true });
    }
    return place;
  };

  const confirm = async (parcel: Parcel, address: string): Promise<Confirmation> =>
    (await digestOf(address)) === parcel.sha256
      ? { confirmed: 'bytes', why: null }
      : { confirmed: 'no', why: 'other bytes lie there' };

  return { name, speaks: 'folder', url: folder, find, deliver, confirm, point: async () => null };
}

async function digestOf(file: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

async function flush(file: string): Promise<void> {
  const handle = await open(file, 'r+');
  await handle.sync();
  await handle.close();
}
