import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { onTestFinished } from 'vitest';
import { layOut } from '../../src/flow/demo/demo.ts';
import { startSupplies } from '../../src/flow/demo/supplies.ts';
import type { StandinToken } from '../../src/standin/guard.ts';
import { startStandin } from '../../src/standin/server.ts';
import { testContext } from './context.ts';
import { temporaryFolder, testEnvironment } from './repository.ts';

/** The token that the stand-in of a test takes. */
export const goodToken = 'tide-office-token-7Qx2LmVb9';

/** A token that may do everything, or what is said of it. */
export function tokenFor(secret: string, more: Partial<StandinToken> = {}): StandinToken {
  return { secret, may: 'write', user: 'harbour-desk', only: null, ...more };
}

/** Arguments that name the packages of one ecosystem, which need nothing but Node. */
export const nodePackages = ['-p', 'tidemark', '-p', 'gauges'];

/** The demo workspace with its remote, and a stand-in for its registry. */
export type TestWorkspace = {
  readonly top: string;
  readonly folder: string;
  readonly store: string;
  readonly url: string;
  readonly env: Readonly<Record<string, string>>;
  readonly git: (...args: string[]) => string;
  /** Changes a file and commits it. */
  readonly edit: (file: string, change: (text: string) => string, message?: string) => void;
};

/** Lays the demo workspace out in a new folder and starts a stand-in on a free port. */
export async function demoWorkspace({ isPrivate = false } = {}): Promise<TestWorkspace> {
  const top = temporaryFolder();
  const folder = path.join(top, 'fenmarsh-tides');
  const store = path.join(top, 'office');
  await layOut(testContext(top), top, folder);
  const supplies = await startSupplies(top, () => new Date());
  onTestFinished(supplies.standin.close);
  const standin = await startStandin({
    port: 0,
    store,
    tokens: [tokenFor(goodToken)],
    now: () => new Date(),
    isPrivate,
    upstream: supplies.upstream,
  });
  onTestFinished(standin.close);
  const git = (...args: string[]) =>
    execFileSync('git', args, {
      cwd: folder,
      env: testEnvironment(),
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
    }).trim();
  const edit: TestWorkspace['edit'] = (file, change, message = 'chore: change') => {
    const place = path.join(folder, file);
    writeFileSync(place, change(readFileSync(place, 'utf8')));
    git('commit', '--quiet', '--all', '-m', message);
  };
  const url = `${standin.url}node/`;
  return {
    top,
    folder,
    store,
    url,
    env: {
      TIDE_OFFICE: standin.url,
      TIDE_OFFICE_URL: url,
      TIDE_OFFICE_TOKEN: goodToken,
      TIDE_SUPPLIES: supplies.standin.url,
      BEVELSTONE_TRUST: new URL(standin.url).origin,
    },
    git,
    edit,
  };
}
