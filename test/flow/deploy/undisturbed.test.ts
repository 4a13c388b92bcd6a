import { mkdirSync, renameSync, symlinkSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { emptyState } from '../../../src/core/record/deployment-state.ts';
import { readState, type Site, undisturbed, writeState } from '../../../src/flow/deploy/site.ts';
import { openFolderTarget } from '../../../src/world/target/folder-target.ts';
import { temporaryFolder } from '../../builders/repository.ts';

/** A target where nothing was deployed, in a folder of this machine. */
function emptySite(): Site {
  const folder = temporaryFolder();
  mkdirSync(path.join(folder, '.bevelstone'));
  const target = openFolderTarget({ folder, env: {}, signal: new AbortController().signal });
  return { name: 'harbour', target, commonFolder: folder } as unknown as Site;
}

describe('looking at a target for a plan', () => {
  it.each([
    ['what does not fit', () => Promise.reject(new Error('current is in the way'))],
    ['what seems to fit', () => Promise.resolve('a plan')],
  ])('says that another deployment came first, whatever was found: %s', async (_, found) => {
    const site = emptySite();
    const read = await readState(site);

    const look = undisturbed(site, read, async () => {
      await writeState(site, emptyState('harbour'));
      return found();
    });

    await expect(look).rejects.toMatchObject({ code: 'DEPLOY_BUSY' });
  });

  it('notices that the folder of its own became a link meanwhile', async () => {
    const site = emptySite();
    const read = await readState(site);
    const own = path.join(site.target.folder, '.bevelstone');

    const look = undisturbed(site, read, async () => {
      renameSync(own, `${own}-elsewhere`);
      symlinkSync(`${own}-elsewhere`, own);
    });

    await expect(look).rejects.toMatchObject({ code: 'DEPLOY_BLOCKED' });
  });

  it('leaves what was found as it is when there was no other', async () => {
    const site = emptySite();
    const read = await readState(site);

    await expect(undisturbed(site, read, async () => 'a plan')).resolves.toBe('a plan');
    await expect(undisturbed(site, read, () => Promise.reject(new Error('in the way')))).rejects.toThrow('in the way');
  });
});
