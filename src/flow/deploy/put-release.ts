import path from 'node:path/posix';
import pLimit from 'p-limit';
import type { DeploymentConfig } from '../../core/config/config.ts';
import { filesOfPart } from '../../core/deploy/mapped-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { DeployedFile } from '../../core/record/deployment-state.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { readBytes } from '../../world/file-bytes.ts';
import { quoted } from '../../world/target/ssh-command.ts';
import { type Context, countMoved } from '../context.ts';
import { changesInRelease, filesAtOnce, howChanged } from './observe.ts';
import type { LocalRelease } from './release-files.ts';
import { placesOf, type Site, writeFilesOf } from './site.ts';
import type { WithFiles } from './switch-release.ts';
import { runOnTarget } from './target-commands.ts';

/**
 * Writes the files of a release into its own folder on the target; nothing leads there yet. What an earlier attempt left
 * is kept where it is right. All files are read again afterwards and compared.
 */
export async function putRelease(
  context: Context,
  site: Site,
  { id, release: { files, placeOf } }: { readonly id: string; readonly release: LocalRelease },
): Promise<void> {
  const { target } = site;
  const top = placesOf(site).release(id);
  const what = `upload ${files.length === 1 ? '1 file' : `${files.length} files`} to ${target.where}`;
  context.report({ type: 'started', what });
  const isNew = (await target.find(top)) === null;
  for (const folder of foldersOf(files)) await target.makeFolder(folder === '.' ? top : `${top}/${folder}`);
  await writeFilesOf(site, id, files);
  const moved = countMoved(context, what, null);
  const limit = pLimit(filesAtOnce);
  await Promise.all(
    files.map((file, index) =>
      limit(async () => {
        context.signal.throwIfAborted();
        if (index === Math.floor(files.length / 2)) faultPoint('deploy', 'half', 'before');
        const place = `${top}/${file.path}`;
        if (!isNew) {
          if ((await howChanged(target, place, file)) === null) return;
          await target.remove(place);
        }
        if (file.type === 'symlink') await target.makeLink(place, file.linkname ?? '');
        else await target.write(place, counted(readBytes(placeOf(file.path)), moved), file.mode);
      }),
    ),
  );
  const [wrong] = await changesInRelease(site, id, files);
  if (wrong !== undefined)
    throw new BevelstoneError('TARGET_REFUSED', {
      message: `${wrong.path} on ${target.where} is not what was uploaded`,
      why: `read again it is: ${wrong.how}`,
      fix: 'Check the disk there, and that nothing else writes into that folder',
    });
  context.report({ type: 'finished', what, detail: 'read again, same bytes' });
}

/** Gives files the owners that the configuration names. @throws DEPLOY_FAILED */
export async function setOwners(
  context: Context,
  site: Site,
  { id, map }: { readonly id: string; readonly map: DeploymentConfig['map'] },
): Promise<void> {
  const top = placesOf(site).release(id);
  for (const { from, owner } of map) {
    if (owner === null) continue;
    const place = from === '.' ? top : `${top}/${from}`;
    const run = `chown -hR -- ${quoted(owner)} ${quoted(place)}`;
    await runOnTarget(context, site, { run, folder: top, env: {}, timeoutMs: 5 * 60_000 });
  }
}

/** How many paths one command gets: well below what a system takes (POSIX, ARG_MAX). */
const pathsPerCommand = 100;

/** The same for files that were copied to their places, and for nothing else that lies beside them. @throws DEPLOY_FAILED */
export async function setCopyOwners(context: Context, site: Site, { deployment, files }: WithFiles): Promise<void> {
  const { folder } = site.target;
  for (const part of deployment.parts.filter(({ isCopied }) => isCopied)) {
    const owner = site.config.map.find(({ to }) => path.resolve(folder, to) === part.to)?.owner ?? null;
    const places = owner === null ? [] : filesOfPart(files, part).map(({ to }) => quoted(to));
    for (let at = 0; at < places.length; at += pathsPerCommand) {
      const run = `chown -h -- ${quoted(owner ?? '')} ${places.slice(at, at + pathsPerCommand).join(' ')}`;
      await runOnTarget(context, site, { run, folder, env: {}, timeoutMs: 5 * 60_000 });
    }
  }
}

/** Folders that files lie in, each after the one above it. */
function foldersOf(files: readonly DeployedFile[]): string[] {
  return [...new Set(['.', ...files.map((file) => path.dirname(file.path))])].sort();
}

async function* counted(chunks: AsyncIterable<Uint8Array>, moved: (bytes: number) => void): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    moved(chunk.byteLength);
    yield chunk;
  }
}
