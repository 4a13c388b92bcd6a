import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { BevelstoneError } from '../../src/core/error/bevelstone-error.ts';
import { renderPage } from '../../src/core/page/page.ts';
import { checkArtifact } from '../../src/core/rule/rules.ts';
import { examineArtifact } from '../../src/flow/read/read-artifact.ts';
import { extractArchive } from '../../src/world/archive/extract.ts';
import { ruleSettings } from '../builders/artifact.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { archiveSamples } from './archive-samples.ts';
import { rounds, seedOf, trace } from './extent.ts';
import { insideGzip, mutateBytes, mutateTar, mutateText, mutateZip, Random, withChecksums } from './mutate.ts';

const anyBytes = (bytes: Buffer, random: Random) => mutateBytes(bytes, random, bytes);
const anyText = (bytes: Buffer, random: Random) =>
  Buffer.from(mutateText(bytes.toString('latin1'), random, 'x'), 'latin1');
/** Changes of bytes inside stored files, which the checksums would give away otherwise. */
const inFiles = (bytes: Buffer, random: Random) => withChecksums(anyBytes(bytes, random));

/** Reads, checks, shows and extracts; each may refuse. */
async function use(file: string): Promise<void> {
  await attempt(async () => {
    const artifact = await examineArtifact(file, { ownPlaces: ['/home/office'], signal: AbortSignal.timeout(60_000) });
    checkArtifact(artifact, ruleSettings());
    renderPage(artifact);
  });
  const folder = path.join(path.dirname(file), 'out');
  await attempt(() => extractArchive(file, folder));
  rmSync(folder, { recursive: true, force: true });
}

/** How many files this process has open; 0 where the system does not say. */
function openFiles(): number {
  return existsSync('/proc/self/fd') ? readdirSync('/proc/self/fd').length : 0;
}

async function attempt(work: () => Promise<unknown>): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (!(error instanceof BevelstoneError)) throw error;
  }
}

describe('a changed artifact', () => {
  it.each([
    ['tides-1.4.0.tgz', [anyBytes, insideGzip(anyBytes), insideGzip(mutateTar), insideGzip(anyText)]],
    ['tides-1.4.0.tar.gz', [insideGzip(anyBytes), insideGzip(mutateTar), insideGzip(anyText)]],
    ['tides-1.4.0-py3-none-any.whl', [anyBytes, mutateZip, inFiles]],
    ['tides-1.4.0.jar', [anyBytes, mutateZip, inFiles]],
    ['Fenmarsh.Tides.1.4.0.nupkg', [anyBytes, mutateZip, inFiles]],
    ['tides_1.4.0-1_amd64.deb', [anyBytes]],
    ['tides-1.4.0.pom', [anyText, anyBytes]],
  ] as const)('%s ends in findings or in an error of ours', async (name, changes) => {
    const samples = await archiveSamples();
    const random = new Random(seedOf(name));
    const file = path.join(temporaryFolder(), name);
    const openBefore = openFiles();
    for await (const round of rounds(0.7)) {
      let bytes = samples[name] ?? Buffer.alloc(0);
      // A part of another form's artifact, at times.
      if (random.below(12) === 0) bytes = mutateBytes(bytes, random, random.pick(Object.values(samples)));
      for (let count = 1 + random.below(3); count > 0; count--)
        bytes = random.pick<(typeof changes)[number]>(changes)(bytes, random);
      trace(name, bytes);
      writeFileSync(file, bytes);
      try {
        await use(file);
      } catch (error) {
        const kept = path.join(mkdtempSync(path.join(tmpdir(), 'bevelstone-fuzz-')), `${round}-${name}`);
        writeFileSync(kept, bytes);
        expect.fail(`${kept}: ${error instanceof Error ? error.stack : error}`);
      }
    }
    // A stream closes its file a moment after it ends.
    await expect.poll(openFiles, { timeout: 60_000 }).toBeLessThan(openBefore + 20);
  });

  it('is what its form has before it is changed', async () => {
    for (const [name, bytes] of Object.entries(await archiveSamples())) {
      const file = path.join(temporaryFolder(), name);
      writeFileSync(file, bytes);
      expect(
        (await examineArtifact(file, { ownPlaces: [], signal: AbortSignal.timeout(60_000) })).manifest,
        name,
      ).not.toBeNull();
    }
  });
});
