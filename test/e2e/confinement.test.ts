// What steps are kept from, and what is said where they cannot be.
import { chmodSync, mkdirSync, realpathSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { listener } from '../builders/listener.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder } from '../builders/repository.ts';
import { hasTool, itWith } from '../builders/tools.ts';

/** A package whose steps may fail. */
async function build(
  config: object,
  { files = {}, env = {} }: { files?: Record<string, string>; env?: Record<string, string> } = {},
) {
  const repository = new TestRepository(
    {
      'bevelstone.yaml': JSON.stringify({ schema: 1, packages: { bay: { ecosystem: 'plain', ...config } } }),
      'README.md': '# Bay\n',
      ...files,
    },
    'feat: bay',
  );
  repository.checkOut();
  return bevelstoneJson(['build'], { cwd: repository.folder, env });
}

const itConfined =
  hasTool('unshare', '--net', '--mount', 'true') ||
  hasTool('unshare', '--user', '--map-root-user', '--net', '--mount', 'true')
    ? it
    : itWith('namespaces');

describe('steps', () => {
  itConfined('that are offline reach neither another machine nor this one', async () => {
    const { url, asked } = await listener((_, response) => void response.end('here'));
    const step = `node -e "fetch('${url}').then(() => process.exit(0), () => process.exit(7))"`;

    const [open, closed] = [await build({ build: [step] }), await build({ offline: true, build: [step] })];

    expect(open.error).toBeNull();
    expect(closed.error).toMatchObject({ code: 'STEP_FAILED' });
    expect(closed.error?.message).toContain('exit code 7');
    expect(asked).toHaveLength(1);
    expect(closed.warnings.filter((text) => text.includes('not checked'))).toEqual([]);
  });

  itConfined('that are contained write into the checkout and temporary files, and nowhere else', async () => {
    const outside = temporaryFolder();
    const fine = 'echo a > made && echo b > {out}/made && t=$(mktemp) && echo c > $t && cd {out} && echo d > below';
    const wrong = `echo x > '${path.join(outside, 'escaped')}'`;

    const [inside, escaping] = [
      await build({ contained: true, build: [fine] }),
      await build({ contained: true, build: [wrong] }),
    ];

    expect(inside.error).toBeNull();
    expect(escaping.error).toMatchObject({ code: 'STEP_FAILED' });
    expect(escaping.error?.why).toMatch(/[Rr]ead-only file system/);
    expect((await build({ build: [wrong] })).error).toBeNull();
  });

  itConfined('can be both, and give the same bytes as those that are neither', async () => {
    const config = { build: ['echo tide > {out}/tide'], artifacts: [{ form: 'tar.gz', files: [{ from: '{out}' }] }] };

    const [free, kept] = [await build(config), await build({ ...config, offline: true, contained: true })];

    expect([free.error, kept.error]).toEqual([null, null]);
    expect(kept.result.releases[0].artifacts[0].contentDigest).toBe(free.result.releases[0].artifacts[0].contentDigest);
  });

  it('are named as not checked where the system has no way to do that', async () => {
    // A machine without unshare: only what the build itself needs is on the PATH.
    const tools = path.join(temporaryFolder(), 'bin');
    mkdirSync(tools);
    for (const tool of ['git', 'sh', 'sed']) symlinkSync(realpathSync(`/usr/bin/${tool}`), path.join(tools, tool));

    const { error, warnings } = await build(
      { offline: true, contained: true, build: ['echo'] },
      { env: { PATH: tools } },
    );

    expect(error).toBeNull();
    expect(warnings.filter((text) => text.startsWith('bay: not checked'))).toEqual([
      expect.stringContaining('could use the network'),
      expect.stringContaining('could write anywhere'),
    ]);
  });
});

describe('tools', () => {
  /** A folder with a program of that name which says that version. */
  function programs(version: string, ...names: readonly string[]): string {
    const folder = temporaryFolder();
    for (const name of names) {
      writeFileSync(path.join(folder, name), `#!/bin/sh\necho ${name} ${version}\n`);
      chmodSync(path.join(folder, name), 0o755);
    }
    return folder;
  }

  it('and steps are found in the folders of `path`, whoever builds', async () => {
    const [listed, callers] = [programs('2.1', 'tidec'), programs('1.0', 'tidec')];
    const config = {
      tools: ['tidec >=2'],
      path: [listed, '/usr/bin', '/bin'],
      build: ['tidec > {out}/said'],
      artifacts: [{ form: 'tar.gz', files: [{ from: '{out}' }] }],
    };
    const env = { PATH: `${callers}:${process.env['PATH']}` };

    const { error, result } = await build(config, { env });
    const without = await build({ ...config, path: undefined }, { env });
    const missing = await build({ ...config, path: ['/nowhere'] }, { env });

    expect(error).toBeNull();
    expect(result.releases[0].version).toBe('0.1.0');
    expect(without.error).toMatchObject({ code: 'TOOL_MISSING' });
    expect(without.error?.message).toContain('tidec is 1.0');
    expect(missing.error?.message).toContain('tidec is not in /nowhere');
  });

  it.each([
    [
      'a step with a PATH of its own',
      { run: 'tidec x', env: { PATH: '{other}' } },
      'it is run by {other}/tidec; `tools` found {declared}/tidec',
    ],
    [
      'a script whose first line names another',
      './gen',
      'it is run by {other}/tidec, as its first line says; `tools` found {declared}/tidec',
    ],
    ['a script for another interpreter', 'sh gen.py', 'gen.py is run by sh, and its first line names python3'],
  ])('that %s are named', async (_, step, said) => {
    const [declared, other] = [programs('2.1', 'tidec'), programs('2.0', 'tidec')];
    const place = (text: string) => text.replaceAll('{other}', other).replaceAll('{declared}', declared);
    const files = { gen: place('#!{other}/tidec\n'), 'gen.py': '#!/usr/bin/env python3\n' };
    const steps = ['chmod +x gen', ...JSON.parse(place(JSON.stringify([step])))];

    const { warnings } = await build(
      { tools: ['tidec'], build: steps },
      { files, env: { PATH: `${declared}:${process.env['PATH']}` } },
    );

    expect(warnings.some((text) => text.endsWith(place(said)))).toBe(true);
  });
});
