import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect } from 'vitest';
import {
  deploymentWorkspace,
  itAt,
  kinds,
  linkedMap,
  mixedMap,
  secondFiles,
  seenFrom,
  versionsOn,
} from '../builders/deployment.ts';
import { isFull } from '../builders/extent.ts';

describe.each(kinds)('a deployment that is killed, to a target of the kind %s', (kind) => {
  itAt(kind)('a linked target is old or new after a kill at any moment, and either way leads on', async () => {
    const w = await deploymentWorkspace(kind, `${linkedMap}\nthen: ["true"]`);
    await w.deploy();
    const old = seenFrom(w.site);
    await w.releaseFiles('feat: mean tide', secondFiles);
    const moments = [
      'locked',
      'pending',
      'half',
      'uploaded',
      'linked',
      'switched',
      'copied',
      'commanded',
      'recorded',
      'settled',
    ];
    let fresh: unknown = null;
    const seen: string[] = [];
    const few =
      kind === 'folder'
        ? ['locked', 'half', 'linked', 'switched', 'recorded', 'settled']
        : ['pending', 'uploaded', 'switched'];
    const tried = isFull ? moments : few;
    for (const [index, moment] of tried.entries()) {
      for (const way of isFull ? ['--resume', '--back'] : [index % 2 === 0 ? '--resume' : '--back']) {
        const fault = `deploy:${moment}:${moment === 'half' ? 'before' : 'after-effect'}`;
        await expect(w.deploy([], { BEVELSTONE_FAULT: fault })).rejects.toThrow();
        const now = JSON.stringify(seenFrom(w.site));
        if (now === JSON.stringify(old)) seen.push('old');
        else {
          fresh ??= now;
          expect(now).toBe(fresh);
          seen.push('new');
        }
        // Before anything was written down, and after the end, there is nothing to finish.
        const isOpen = moment !== 'locked' && moment !== 'settled';
        const refused = isOpen && index === 1 ? await w.deploy() : null;
        if (refused !== null) expect(refused.error?.code).toBe('DEPLOY_UNFINISHED');
        const led = await w.deploy(isOpen ? [way] : []);
        expect(led.error).toBeNull();
        if (isOpen && way === '--back') expect(seenFrom(w.site)).toEqual(old);
        else {
          fresh ??= JSON.stringify(seenFrom(w.site));
          expect(JSON.stringify(seenFrom(w.site))).toBe(fresh);
          expect((await w.deploy(['--back'])).error).toBeNull();
        }
        expect(seenFrom(w.site)).toEqual(old);
        expect(versionsOn(w)).toEqual(['0.1.0']);
      }
    }
    expect(new Set(seen)).toEqual(new Set(['old', 'new']));
  });

  itAt(kind)('finishes or undoes copies that were cut short', async () => {
    const w = await deploymentWorkspace(kind, mixedMap);
    await w.deploy();
    const old = seenFrom(w.site);
    await w.releaseFiles('feat: mean tide', secondFiles);
    for (const moment of isFull ? ['switched', 'copy-1', 'copy-2', 'copied'] : ['copy-1', 'copied']) {
      const fault = { BEVELSTONE_FAULT: `deploy:${moment}:after-effect` };
      await expect(w.deploy([], fault)).rejects.toThrow();
      expect((await w.deploy(['--back'])).result).toMatchObject({ state: 'returned', version: '0.1.0' });
      expect(seenFrom(w.site)).toEqual(old);
      await expect(w.deploy([], fault)).rejects.toThrow();
      expect((await w.deploy(['--resume'])).result).toMatchObject({ state: 'deployed', version: '0.1.1' });
      expect(seenFrom(w.site)).toMatchObject({
        'copies/mean.js': '644 export const mean = 2;\n',
        'site/depth.js': '640 export const depth = 5;\n',
      });
      // The way back can be cut short too.
      await expect(w.deploy(['--back'], fault)).rejects.toThrow();
      expect((await w.deploy(['--resume'])).result).toMatchObject({ state: 'returned', version: '0.1.0' });
      expect(seenFrom(w.site)).toEqual(old);
    }
  });

  itAt(kind)('never takes the release in place away when a command fails after a resume', async () => {
    const w = await deploymentWorkspace(kind, `${linkedMap}\nfirst: ["test ! -e ../../closed"]`);
    await w.deploy();
    await w.releaseFiles('feat: mean tide', secondFiles);
    await expect(w.deploy([], { BEVELSTONE_FAULT: 'deploy:switched:after-effect' })).rejects.toThrow();
    writeFileSync(path.join(w.site, 'closed'), '');

    const run = await w.deploy(['--resume']);

    expect(run.result).toMatchObject({ state: 'deployed', version: '0.1.1' });
    expect(seenFrom(w.site)['tables/mean.js']).toBe('644 export const mean = 2;\n');
  });

  itAt(kind)('removes what a first deployment left that was cut short', async () => {
    const w = await deploymentWorkspace(kind, mixedMap);
    await expect(w.deploy([], { BEVELSTONE_FAULT: 'deploy:copy-1:after-effect' })).rejects.toThrow();

    await expect(w.deploy(['--back'], { BEVELSTONE_FAULT: 'deploy:linked:after-effect' })).rejects.toThrow();
    const back = await w.deploy(['--resume']);

    expect(back.result).toMatchObject({ state: 'removed' });
    expect(seenFrom(w.site)).toEqual({});
    expect((await w.deploy()).result).toMatchObject({ state: 'deployed', before: null });
  });
});
