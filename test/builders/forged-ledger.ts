import { execFileSync } from 'node:child_process';
import path from 'node:path';
import type { LedgerEvent } from '../../src/core/record/event.ts';
import { testEnvironment } from './repository.ts';

/** Adds files to the ledger of a bare repository, as anybody can who may push that ref. */
export function forgeLedger(
  remote: string,
  files: Readonly<Record<string, string>>,
  ref = 'refs/bevelstone/ledger',
): void {
  const index = path.join(remote, `forged-${Math.random()}`);
  const git = (args: readonly string[], input?: string) =>
    execFileSync('git', args, {
      cwd: remote,
      env: { ...testEnvironment(), GIT_INDEX_FILE: index },
      encoding: 'utf8',
      ...(input === undefined ? {} : { input }),
      stdio: ['pipe', 'pipe', 'pipe'],
    }).trim();
  const before = git(['for-each-ref', '--format=%(objectname)', ref]);
  if (before !== '') git(['read-tree', before]);
  const rows = Object.entries(files).map(
    ([file, text]) => `100644 ${git(['hash-object', '-w', '--stdin'], text)}\t${file}\n`,
  );
  git(['update-index', '--add', '--index-info'], rows.join(''));
  const parents = before === '' ? [] : ['-p', before];
  const commit = git(['commit-tree', git(['write-tree']), ...parents, '-m', 'Record run']);
  git(['update-ref', ref, commit]);
}

/** The file of an event, as the ledger has it. */
export function eventFile(event: LedgerEvent): Record<string, string> {
  return { [`${event.package}/${event.version}/${event.id}.json`]: `${JSON.stringify(event, null, 2)}\n` };
}

/** Every event in the ledger of a bare repository. */
export function eventsIn(remote: string): LedgerEvent[] {
  const git = (...args: string[]) =>
    execFileSync('git', args, { cwd: remote, env: testEnvironment(), encoding: 'utf8' });
  return git('ls-tree', '-r', '--name-only', 'refs/bevelstone/ledger')
    .split('\n')
    .filter((file) => file !== '' && !file.includes('contents-'))
    .map((file) => JSON.parse(git('show', `refs/bevelstone/ledger:${file}`)) as LedgerEvent);
}
