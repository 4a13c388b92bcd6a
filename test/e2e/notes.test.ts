import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { demoWorkspace, nodePackages } from '../builders/workspace.ts';

describe('notes', () => {
  it('tell what the next release brings, as an object for programs', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['notes', ...nodePackages, '--contributors'], { cwd: folder });

    const told = result.releases.map(
      ({
        package: name,
        version,
        sections,
        contributors,
      }: {
        package: string;
        version: string;
        sections: { title: string; items: { summary: string }[] }[];
        contributors: string[];
      }) => [name, version, sections.map(({ title, items }) => `${title} ${items.length}`), contributors],
    );
    expect(told).toEqual([
      ['tidemark', '1.4.0', ['Added 2', 'Fixed 1'], ['Harbour desk', 'Survey boat']],
      ['gauges', '0.2.1', ['Fixed 1'], ['Harbour desk', 'Survey boat']],
    ]);
    expect(result.written).toEqual([]);
  });

  it.each([
    [['--to', 'tidemark/1.3.2'], /^## tidemark 1\.3\.2, 2026-03-\d\d\n\n### Fixed\n\n- a table begins/],
    [
      ['--to', 'tidemark/2.0.0-early.2'],
      /^## tidemark 2\.0\.0-early\.2, .*\n\n### Fixed\n\n- centimetres below the datum · \w{7}$/,
    ],
    [
      ['--to', 'tidemark/2.0.0-early.1'],
      /### Breaking\n\n- heights in centimetres · \w{7}\n\n {2}tide tables carry `centimetres`/,
    ],
    [
      ['--from', 'tidemark/1.1.0', '--to', 'tidemark/1.3.0', '-p', 'tidemark'],
      /### Added\n\n- name the kind of station[^\n]*\n- S2 and O1 at the quay/,
    ],
    [
      ['--format', 'text', '-p', 'gauges'],
      /^gauges 0\.2\.1, \d{4}-\d\d-\d\d\n\nFixed\n {2}- read times without seconds \(log, #15\) /,
    ],
    [
      ['--format', 'debian', '-p', 'gauges'],
      /^gauges \(0\.2\.1-1\) unstable; urgency=medium\n[\s\S]* -- Harbour desk <harbour@fenmarsh\.example> {2}\w{3}, /,
    ],
  ])('%j', async (args, text) => {
    const { folder } = await demoWorkspace();

    const run = await bevelstone(['notes', ...args], { cwd: folder });

    expect(run.exitCode).toBe(0);
    expect(run.stdout).toMatch(text);
  });

  it('go into the changelogs once, behind a hand-written introduction, and into release folder and tag', async () => {
    const { folder, env, git } = await demoWorkspace();
    mkdirSync(path.join(folder, 'packages/tidemark/notes'));
    writeFileSync(path.join(folder, 'packages/tidemark/notes/next.md'), 'Tables for the **light vessel** at last.\n');
    git('add', '-A');
    git('commit', '--quiet', '-m', 'docs: say what is new');
    const changelog = path.join(folder, 'packages/tidemark/CHANGELOG.md');
    const before = readFileSync(changelog, 'utf8');

    const first = await bevelstoneJson(['notes', ...nodePackages, '--write'], { cwd: folder });
    const once = readFileSync(changelog, 'utf8');
    const second = await bevelstoneJson(['notes', ...nodePackages, '--write'], { cwd: folder });
    git('stash', '--quiet');
    await bevelstone(['build', ...nodePackages], { cwd: folder });
    await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes'], { cwd: folder, env });

    expect(first.result.written).toEqual(['packages/tidemark/CHANGELOG.md', 'packages/gauges/CHANGELOG.md']);
    expect(once).toMatch(
      /^# Changes of tidemark\n\n## 1\.4\.0\n\nTables for the \*\*light vessel\*\* at last\.\n\n- the next high water\n/,
    );
    expect(once.endsWith(before.slice(before.indexOf('## 1.3.2')))).toBe(true);
    expect(second.result.written).toEqual([]);
    expect(second.warnings.join()).toContain('already has a section for 1.4.0');
    expect(readFileSync(changelog, 'utf8')).toBe(before);
    expect(readFileSync(path.join(folder, 'bevelstone-out/tidemark-1.4.0/NOTES.md'), 'utf8')).toContain('light vessel');
    expect(git('tag', '-l', '--format=%(contents)', 'tidemark/1.4.0')).toMatch(
      /^tidemark 1\.4\.0\n\nTables for the[\s\S]*### Added[\s\S]*Bevelstone-Run: /,
    );
  });

  it('follow a template, and refuse one that is missing or broken', async () => {
    const { folder } = await demoWorkspace();
    writeFileSync(path.join(folder, 'own.txt'), '{{#releases}}{{package}}={{version}};{{/releases}}');
    writeFileSync(path.join(folder, 'broken.txt'), '{{#releases}}');

    const own = await bevelstone(['notes', ...nodePackages, '--template', 'own.txt'], { cwd: folder });
    const broken = await bevelstoneJson(['notes', ...nodePackages, '--template', 'broken.txt'], { cwd: folder });
    const missing = await bevelstoneJson(['notes', ...nodePackages, '--template', 'nowhere.txt'], { cwd: folder });

    expect(own.stdout).toBe('tidemark=1.4.0;gauges=0.2.1;');
    expect(broken).toMatchObject({ exitCode: 2, error: { code: 'TEMPLATE_INVALID' } });
    expect(missing).toMatchObject({ exitCode: 2, error: { code: 'FILE_NOT_FOUND' } });
  });
});

describe('survey', () => {
  it('says of every commit what it counted as', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['survey', ...nodePackages, '--changes'], { cwd: folder });
    const shown = await bevelstone(['survey', ...nodePackages, '--changes'], { cwd: folder });

    const [tidemark] = result.packages;
    expect(
      tidemark.changes.map(
        (change: { kind: string; weight: string; counted: boolean; why: string }) =>
          `${change.kind} ${change.weight} ${change.counted} ${change.why}`,
      ),
    ).toEqual([
      'build none true build',
      'test none true test',
      'feat minor true feat',
      'fix patch true amended by the configuration',
      'feat minor true feat',
    ]);
    expect(tidemark.changes[4]).toMatchObject({ scope: 'stations', issues: ['12'], authors: ['Survey boat'] });
    expect(result.others.map((item: { why: string }) => item.why)).toEqual([
      'not in any package',
      'not in any package',
      'not in any package',
      'not in any package',
    ]);
    expect(shown.stdout).toMatch(/not in any package\n.*\n.*not in any package\s+chore: each package/);
  });

  it.each([
    [['--at', 'early', '--branch', 'early'], 'tidemark', null],
    [['--at', 'early~1', '--branch', 'early'], 'tidemark', null],
    [['--at', 'line/1.2', '--branch', 'line/1.2'], 'tidemark', null],
    [['--stream', 'early'], 'tidemark', '1.4.0-early.1'],
    [['--exactly', '1.9.0', '-p', 'tidemark'], 'tidemark', '1.9.0'],
    [['--raise', 'major', '-p', 'gauges'], 'gauges', '0.3.0'],
  ])('%j gives %s %s', async (args, name, next) => {
    const { folder } = await demoWorkspace();

    const { result, error } = await bevelstoneJson(['survey', ...args], { cwd: folder });

    expect(error).toBeNull();
    if (next === null && args[1] === 'early')
      expect(result.packages[0].reasons).toEqual(['no changes since 2.0.0-early.2']);
    expect(result.packages.find((pkg: { name: string }) => pkg.name === name).next).toBe(next);
  });
});
