import path from 'node:path';
import type { Origin } from '../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { parseMessage } from '../../core/history/message-grammar.ts';
import { parseReferences } from '../../core/history/reference.ts';
import { normalFolder, packagesByPath } from '../../core/history/touch.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { compareVersions } from '../../core/version/version.ts';
import { hashFile } from '../../world/file-bytes.ts';
import { exists } from '../../world/files.ts';
import { type Repository, resolveCommit } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import type { Context } from '../context.ts';
import { inPlace, partialsOn, type RecordedPartial } from '../deploy/deploy-list.ts';
import { contentsListsWith } from '../ledger-record/last-artifact.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { plainSurvey, surveyWorkspace } from '../survey/survey.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';

/** Where something was found, or would be. */
export type TraceMatch = {
  readonly package: string;
  /** The first release on its branch that contains it; before a release, the version that would. */
  readonly version: string | null;
  readonly isReleased: boolean;
  /** The line of releases: the name of its stream. */
  readonly line: string;
  readonly artifact: string | null;
  readonly entry: string | null;
  readonly origin: Origin | null;
  /** The commit that the release was built from, or the one that was asked about. */
  readonly commit: string;
  /** Deployments that have this release, or a later one, in place. */
  readonly deployedTo: readonly string[];
};

/** The answer of `ledger trace`. */
export type Trace = {
  readonly asked: string;
  readonly matches: readonly TraceMatch[];
  /** Archives with only some changes that hold the issue asked about. */
  readonly outputs: readonly RecordedPartial[];
};

/**
 * Where a file, a digest, a commit or an issue was first released. Works in any clone, without the files.
 * @param asked a path, a SHA-256 in hexadecimal, anything that git takes for a commit, or `issue:N`.
 * @throws COMMIT_NOT_FOUND when it is none of these.
 */
export async function trace(context: Context, asked: string): Promise<Trace> {
  const repository = await openContext(context);
  const known = (await readLedger(context, repository)).filter(
    (release) => context.packages.length === 0 || context.packages.includes(release.package),
  );
  const issue = /^issue:#?([\w-]+)$/.exec(asked)?.[1];
  if (issue !== undefined) {
    const matches = await traceIssue(context, { repository, known, issue });
    const outputs = partialsOn(known).filter(({ issues }) => issues.includes(issue));
    return { asked, matches: withDeployments(matches, known), outputs };
  }
  const digest = /^(?:sha256:)?([0-9a-f]{64})$/i.exec(asked)?.[1]?.toLowerCase();
  if (digest !== undefined) {
    const matches = await traceDigest(repository, known, digest);
    return { asked, matches: withDeployments(matches, known), outputs: [] };
  }
  const file = path.resolve(context.folder, asked);
  if (await exists(file))
    return await trace(context, await hashFile(file, 'sha256')).then((found) => ({ ...found, asked }));
  try {
    const commit = await resolveCommit(repository.place, asked);
    const matches = await traceCommit(context, { repository, known, commit });
    return { asked, matches: withDeployments(matches, known), outputs: [] };
  } catch (error) {
    if (!isBevelstoneError(error, 'COMMIT_NOT_FOUND')) throw error;
    throw new BevelstoneError('COMMIT_NOT_FOUND', {
      message: `unknown file, digest, commit or issue: ${asked}`,
      why: 'expected an existing file, a SHA-256, a commit of this clone, or issue:N',
      fix: 'Give a path, 64 hexadecimal digits, a commit, or issue:12',
    });
  }
}

/** Where each release, or a later one of the same package, is in place. */
function withDeployments(matches: readonly TraceMatch[], known: readonly LedgerRelease[]): TraceMatch[] {
  const now = [...inPlace(known).values()];
  return matches.map((match) => {
    const { version, isReleased } = match;
    if (version === null || !isReleased) return match;
    const there = now.filter(
      (event) => event.package === match.package && compareVersions(event.version, version) >= 0,
    );
    return { ...match, deployedTo: there.map(({ deployment }) => deployment) };
  });
}

/** Artifacts, and entries inside them, that have these bytes; the first release of each line. */
async function traceDigest(
  repository: Repository,
  known: readonly LedgerRelease[],
  digest: string,
): Promise<TraceMatch[]> {
  const found: TraceMatch[] = [];
  const lists = await contentsListsWith(repository, known, digest);
  for (const release of oldestFirst(known)) {
    const whole = release.artifacts.find(({ sha256 }) => sha256 === digest);
    if (whole !== undefined) found.push({ ...matchOf(release), artifact: whole.file });
    for (const artifact of lists.get(release)?.artifacts ?? [])
      for (const entry of artifact.entries) {
        if (entry.sha256 !== digest) continue;
        found.push({ ...matchOf(release), artifact: artifact.file, entry: entry.path, origin: entry.origin });
      }
  }
  return firstOfEach(found, ({ package: name, line, artifact, entry, version }) => [
    name,
    line,
    formOf(artifact, version),
    formOf(entry, version),
  ]);
}

/** The same artifact has another version in its name each time. */
function formOf(file: string | null, version: string | null): string {
  return (file ?? '').replaceAll(version ?? '\n', '…');
}

/** For every package that a commit touches: the first release of each line that contains it, or what it would be. */
async function traceCommit(
  context: Context,
  {
    repository,
    known,
    commit,
  }: { readonly repository: Repository; readonly known: readonly LedgerRelease[]; readonly commit: string },
): Promise<TraceMatch[]> {
  const touched = await touchedPackages(context, repository, commit);
  const matches: TraceMatch[] = [];
  const released = new Set<string>();
  for (const release of oldestFirst(known)) {
    if (!touched.includes(release.package) || !(await contains(repository, release.commit, commit))) continue;
    released.add(release.package);
    matches.push({ ...matchOf(release) });
  }
  const first = firstOfEach(matches, ({ package: name, line }) => [name, line]);
  const open = touched.filter((name) => !released.has(name));
  return open.length === 0 ? first : [...first, ...(await notYet(context, { repository, names: open, commit }))];
}

/** What would have it, were a release made from here now. */
async function notYet(
  context: Context,
  {
    repository,
    names,
    commit,
  }: { readonly repository: Repository; readonly names: readonly string[]; readonly commit: string },
): Promise<TraceMatch[]> {
  const head = await resolveCommit(repository.place, 'HEAD');
  if (!(await contains(repository, head, commit))) return [];
  const survey = await surveyWorkspace({ ...context, packages: [], report: () => {} }, plainSurvey);
  return survey.packages
    .filter(({ name }) => names.includes(name))
    .map(({ name, next }) => ({
      package: name,
      version: next,
      isReleased: false,
      line: survey.stream.name,
      artifact: null,
      entry: null,
      origin: null,
      commit,
      deployedTo: [],
    }));
}

async function traceIssue(
  context: Context,
  {
    repository,
    known,
    issue,
  }: { readonly repository: Repository; readonly known: readonly LedgerRelease[]; readonly issue: string },
): Promise<TraceMatch[]> {
  const { text } = await git(repository.place, [
    'log',
    '--all',
    '--exclude=refs/bevelstone/*',
    '-z',
    '--format=%H%n%B',
  ]);
  const commits = text.split('\0').flatMap((entry) => {
    const [commit = '', ...lines] = entry.split('\n');
    const message = lines.join('\n');
    const { issues } = parseReferences(message, parseMessage(message));
    return issues.includes(issue) || issues.includes(`#${issue}`) ? [commit] : [];
  });
  const matches: TraceMatch[] = [];
  for (const commit of commits) matches.push(...(await traceCommit(context, { repository, known, commit })));
  return firstOfEach(matches, ({ package: name, line, version }) => [name, line, version ?? '']);
}

async function touchedPackages(context: Context, repository: Repository, commit: string): Promise<string[]> {
  const { packages } = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  const args = ['diff-tree', '-r', '-z', '--root', '--no-commit-id', '--name-only', '-m', commit];
  const paths = (await git(repository.place, args)).text.split('\0').filter(Boolean);
  const byPath = packagesByPath(
    packages.map(({ folder, config }) => ({ folder: normalFolder(folder), also: config.also })),
  );
  const indexes = new Set(paths.flatMap((path) => byPath(path)));
  return packages.flatMap(({ name }, index) => (indexes.has(index) ? [name] : []));
}

async function contains({ place }: Repository, release: string, commit: string): Promise<boolean> {
  const asked = await git(place, ['merge-base', '--is-ancestor', commit, release], { allow: [1, 128] });
  return asked.exitCode === 0;
}

function matchOf({ package: name, version, commit, about }: LedgerRelease): TraceMatch {
  const line = about.stream.name;
  return {
    package: name,
    version,
    isReleased: true,
    line,
    artifact: null,
    entry: null,
    origin: null,
    commit,
    deployedTo: [],
  };
}

function oldestFirst(known: readonly LedgerRelease[]): LedgerRelease[] {
  return [...known].sort((a, b) => compareVersions(a.version, b.version));
}

function firstOfEach(
  matches: readonly TraceMatch[],
  keyOf: (traceMatch: TraceMatch) => readonly string[],
): TraceMatch[] {
  const seen = new Set<string>();
  return matches.filter((match) => {
    const key = JSON.stringify(keyOf(match));
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}
