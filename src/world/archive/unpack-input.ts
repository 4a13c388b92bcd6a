import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import path from 'node:path';
import { writeStream } from '../files.ts';
import { ArchiveBudget, readLimitsInForce } from './budget.ts';
import { extractArchive } from './extract.ts';
import { translateReadError } from './read-errors.ts';

/**
 * Unpacks an archive of any kind that is read here, .tar.xz among them, into a new folder.
 * @param scratch a folder for what is needed meanwhile.
 * @throws as `extractArchive` does; ARCHIVE_UNKNOWN for a file that is no such archive.
 */
export async function unpackInput(file: string, folder: string, scratch: string): Promise<void> {
  if (!(await isXz(file))) {
    await extractArchive(file, folder);
    return;
  }
  const tar = path.join(scratch, 'unpacked.tar');
  const budget = new ArchiveBudget(file, (await stat(file)).size, readLimitsInForce());
  const { unpackXz } = await import('./unpack-xz.ts');
  try {
    await writeStream(tar, counted(budget, unpackXz(createReadStream(file))), { flags: 'wx' });
  } catch (error) {
    throw translateReadError(error, file);
  } finally {
    budget.end();
  }
  await extractArchive(tar, folder);
}

async function* counted(budget: ArchiveBudget, chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    budget.unpacked(chunk.byteLength);
    yield chunk;
  }
}

/** The .xz file format §2.1.1.1. */
async function isXz(file: string): Promise<boolean> {
  const handle = await open(file);
  try {
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(6), 0, 6, 0);
    return bytesRead === 6 && buffer.toString('latin1') === '\xfd7zXZ\0';
  } finally {
    await handle.close();
  }
}
