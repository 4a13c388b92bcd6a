import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerDelivery } from '../../core/ledger/fold.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import type { Destination } from '../../destination/destination.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { writeStream } from '../../world/files.ts';
import { type Context, countMoved } from '../context.ts';

/**
 * Fetches an artifact from a destination that has it into a folder.
 * @throws DELIVERY_DIFFERS when the downloaded bytes differ from the recorded digest.
 */
export async function fetchArtifact(
  context: Context,
  {
    from,
    artifact,
    standing,
    folder,
  }: {
    readonly from: Destination;
    readonly artifact: ArtifactRecord;
    readonly standing: readonly LedgerDelivery[];
    readonly folder: string;
  },
): Promise<void> {
  const address = standing.find((delivery) => delivery.artifact === artifact.file)?.address ?? '';
  const file = path.join(folder, path.basename(artifact.file));
  const what = `fetch ${artifact.file} from ${from.name}`;
  context.report({ type: 'started', what });
  await writeStream(file, counted(await from.open(address), countMoved(context, what, artifact.size)));
  const digest = await fileDigest(file, artifact.size);
  if (digest !== artifact.sha256) {
    throw new BevelstoneError('DELIVERY_DIFFERS', {
      message: `${from.name} returns different bytes for ${artifact.file} than were uploaded`,
      why: `its SHA-256 is ${digest.slice(0, 12)}…, recorded is ${artifact.sha256.slice(0, 12)}…`,
      fix: 'Do not promote it; find out why it changed',
    });
  }
  context.report({ type: 'finished', what });
}

async function* counted(chunks: AsyncIterable<Uint8Array>, moved: (bytes: number) => void): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    moved(chunk.byteLength);
    yield chunk;
  }
}
