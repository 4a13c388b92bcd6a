// Repositories that were made without Bevelstone in mind go the whole way: init, survey, release to the stand-in.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, onTestFinished } from 'vitest';
import { ecosystemDefinitions } from '../../src/core/ecosystem/definitions.ts';
import { startStandin } from '../../src/standin/server.ts';
import { bevelstone, bevelstoneJson, type Envelope } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';
import { goodToken, tokenFor } from '../builders/workspace.ts';
import { type Foreign, repositories } from './repositories.ts';

/** Lays a repository out with a remote. */
function layOut({ files, history }: Foreign): TestRepository {
  const r = new TestRepository(files, 'Begin');
  history(r);
  r.checkOut();
  const remote = path.join(temporaryFolder(), 'tides.git');
  r.git('init', '--quiet', '--bare', remote);
  r.git('remote', 'add', 'origin', remote);
  r.git('push', '--quiet', '--all', 'origin');
  r.git('push', '--quiet', '--tags', 'origin');
  return r;
}

/** Names destinations in the file that `init` wrote, as its comments say, and commits it. */
async function configure(r: TestRepository): Promise<Readonly<Record<string, string>>> {
  const standin = await startStandin({
    port: 0,
    store: temporaryFolder(),
    tokens: [tokenFor(goodToken)],
    now: () => new Date(),
  });
  onTestFinished(standin.close);
  const file = path.join(r.folder, 'bevelstone.yaml');
  const [rules = '', destinations = ''] = readFileSync(file, 'utf8').split(/^(?=# destinations:)/m);
  const elsewhere: Readonly<Record<string, string>> = { 'maven/': 'maven/releases/', 'go/': 'static/go-proxy/' };
  const address = (path: string) => `${standin.url}${elsewhere[path] ?? path}`;
  writeFileSync(
    file,
    rules.replace(/^ {4}# (send-to: \[[^\]]+\]).*$/gm, '    $1') +
      destinations
        .replace(/^# /gm, '')
        .replace(/https:\/\/packages\.fenmarsh\.example\/(\w+\/)/g, (_, path: string) => address(path)),
  );
  r.git('add', '--all');
  r.git('-c', 'core.hooksPath=/dev/null', 'commit', '--quiet', '-m', 'chore: configure releases');
  r.git('push', '--quiet', 'origin', 'HEAD');
  return { OFFICE_TOKEN: goodToken, BEVELSTONE_TRUST: new URL(standin.url).origin };
}

function refusal({ exitCode, error }: Envelope & { readonly exitCode: number }) {
  return { exitCode, code: error?.code ?? null };
}

describe('a repository of others', () => {
  for (const foreign of repositories) {
    const { name, ecosystem, refused } = foreign;
    const { client } = ecosystemDefinitions[ecosystem];
    itWith(...(foreign.needs ?? []))(name, async () => {
      const r = layOut(foreign);
      const initial = await bevelstoneJson(['init'], { cwd: r.folder });
      if (refused?.by === 'init') {
        expect(refusal(initial)).toEqual({ exitCode: 3, code: refused.code });
        expect(r.git('status', '--porcelain')).toBe('');
        return;
      }
      expect(initial.error).toBeNull();
      const config = readFileSync(path.join(r.folder, 'bevelstone.yaml'), 'utf8');
      if (foreign.says !== undefined) expect(config).toMatch(foreign.says);
      const env = await configure(r);

      const survey = await bevelstoneJson(['survey'], { cwd: r.folder, env });
      if (refused?.by === 'survey') {
        expect(refusal(survey)).toEqual({ exitCode: 3, code: refused.code });
        return;
      }
      expect(survey.error).toBeNull();
      const next = survey.result.packages.map((pkg: { name: string; next: string | null }) => [pkg.name, pkg.next]);
      expect(Object.fromEntries(next)).toEqual(foreign.next);
      if (
        foreign.tags === undefined &&
        foreign.changed === undefined &&
        foreign.texts === undefined &&
        refused === undefined
      )
        return;

      const before = r.git('rev-parse', 'HEAD');
      const released = await bevelstoneJson(['release', '--yes'], { cwd: r.folder, env });
      if (refused?.by === 'release') {
        expect(refusal(released)).toEqual({ exitCode: 3, code: refused.code });
        expect([r.git('rev-parse', 'HEAD'), r.git('status', '--porcelain')]).toEqual([before, '']);
        return;
      }
      expect(released.error).toBeNull();
      check(r, foreign, released);
      if (foreign.check !== undefined) {
        const [program = '', ...args] = foreign.check;
        execFileSync(program, args, {
          cwd: r.folder,
          env: testEnvironment({ HOME: process.env['HOME'] ?? '' }),
          stdio: 'pipe',
        });
      }
      if (client !== null) await install(r, env);
    });
  }
});

/** What the release changed, tagged and delivered. */
function check(r: TestRepository, { changed, texts, tags, artifacts }: Foreign, { result }: Envelope): void {
  type Release = { tag: string; deliveries: { artifact: string; state: string }[] };
  const releases: Release[] = result.releases;
  const files = r.git('diff', '--name-only', 'HEAD~1', 'HEAD').split('\n').sort();
  if (changed !== undefined) expect(files).toEqual(changed);
  for (const [file, text] of Object.entries(texts ?? {}))
    expect(readFileSync(path.join(r.folder, file), 'utf8')).toMatch(text);
  if (tags !== undefined) expect(releases.map(({ tag }) => tag).sort()).toEqual(tags);
  for (const { tag } of releases) expect(r.git('rev-parse', `${tag}^{}`)).toBe(r.git('rev-parse', 'HEAD'));
  const delivered = releases.flatMap(({ deliveries }) => deliveries);
  expect(delivered.filter(({ state }) => state === 'failed')).toEqual([]);
  if (artifacts !== undefined)
    expect(
      delivered
        .map(({ artifact }) => artifact)
        .filter((name) => !isSbom(name))
        .sort(),
    ).toEqual([...artifacts].sort());
}

function isSbom(name: string): boolean {
  return /\.(?:cdx|spdx)\.json$/.test(name);
}

/** Installs what was delivered with the ecosystem's own client. */
async function install(r: TestRepository, env: Readonly<Record<string, string>>): Promise<void> {
  const confirmed = await bevelstone(['confirm'], { cwd: r.folder, env });

  expect([confirmed.exitCode, confirmed.stderr]).toEqual([0, expect.not.stringContaining('refused')]);
}
