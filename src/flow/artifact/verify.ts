import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { hasPage } from '../../core/form/definitions.ts';
import type { Form } from '../../core/name/form.ts';
import { renderPage } from '../../core/page/page.ts';
import type { Finding, RuleSettings } from '../../core/rule/rule.ts';
import { checkArtifact } from '../../core/rule/rules.ts';
import { formatSarif } from '../../core/rule/sarif.ts';
import type { SurfaceCheck } from '../../core/surface/check.ts';
import { understated } from '../../core/surface/understated.ts';
import { writeWhole } from '../../world/files.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { temporaryFolder } from '../../world/platform.ts';
import { type Context, warn } from '../context.ts';
import { artifactsOnRecord } from '../ledger-record/last-artifact.ts';
import { type ExaminedArtifact, examineArtifact } from '../read/read-artifact.ts';
import { browserReachOf } from '../read/readable-package.ts';
import {
  alteredArtifact,
  builtOrUnreleased,
  type ReleaseFolder,
  readRecordBeside,
} from '../release-folder/built-release.ts';
import { useLimitsOf } from '../workspace/limits.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { releaseNeeds } from './release-needs.ts';
import { ownPlaces, plainSettings, releaseSettings } from './rule-settings.ts';
import { listRules } from './rules.ts';

/** What the rules found in one artifact. */
export type VerifiedArtifact = { readonly file: string; readonly form: Form; readonly findings: readonly Finding[] };

/** The answer of `verify`. */
export type Verification = {
  readonly artifacts: readonly VerifiedArtifact[];
  readonly refused: number;
  readonly warned: number;
  /** How public surfaces compare with those of the last releases; empty for files that are of none. */
  readonly surfaces: readonly SurfaceCheck[];
};

/** An artifact with what is expected of it. */
type Job = {
  readonly file: string;
  readonly artifact: ExaminedArtifact;
  readonly settings: RuleSettings;
  /** Folder with a lockfile that says where packages of the workspace lie; null for a release. */
  readonly workspaceFolder: string | null;
};

/** Runs the rules over the files given, or over what was built for this commit. */
export async function verify(context: Context, files: readonly string[]): Promise<Verification> {
  if (files.length > 0) return check(context, await examineFiles(context, files));
  const { workspace, releases } = await builtHere(context);
  return verifyReleases(context, workspace, releases);
}

/** Runs the rules over built releases, with the settings of their packages. */
export async function verifyReleases(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<Verification> {
  const verification = await check(context, await examineReleases(context, workspace, releases));
  const { checkSurfaces } = await import('../surface/check-surfaces.ts');
  return { ...verification, surfaces: await checkSurfaces(context, workspace, releases) };
}

/** What index pages would show of artifacts, as text, one after the other. */
export async function pagesOf(context: Context, files: readonly string[]): Promise<{ file: string; text: string }[]> {
  const built = files.length > 0 ? null : await builtHere(context);
  const jobs =
    built === null
      ? await examineFiles(context, files)
      : await examineReleases(context, built.workspace, built.releases);
  const shown = jobs.filter(({ artifact }) => files.length > 0 || hasPage(artifact.form));
  return shown.map(({ file, artifact }) => ({ file, text: renderPage(artifact) }));
}

async function builtHere(context: Context): Promise<{ workspace: Workspace; releases: ReleaseFolder[] }> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  return { workspace, releases: await builtOrUnreleased(context, workspace, commit) };
}

async function examineReleases(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<Job[]> {
  const { root } = workspace.repository;
  const places = ownPlaces(context, root, temporaryFolder());
  const lastOf = artifactsOnRecord(context, workspace.repository);
  const needsOf = releaseNeeds(context, workspace);
  const jobs: Job[] = [];
  for (const { folder, record } of releases) {
    const needs = await needsOf(record);
    for (const listed of record.artifacts) {
      context.signal.throwIfAborted();
      const file = path.join(folder, listed.file);
      const { form } = listed;
      const artifact = await examineArtifact(file, { ownPlaces: places, signal: context.signal, form });
      if (artifact.sha256 !== listed.sha256) throw alteredArtifact(file);
      const question = {
        package: record.package,
        before: record.version,
        form: listed.form,
        platform: listed.platform,
      };
      const last = await lastOf(question);
      const settings = { ...releaseSettings(context, { workspace, record, artifactRecord: listed }), last, ...needs };
      // A step may bring a file whose form only the configuration knows.
      jobs.push({ file, artifact: { ...artifact, form: listed.form }, settings, workspaceFolder: null });
    }
  }
  return jobs;
}

async function examineFiles(context: Context, files: readonly string[]): Promise<Job[]> {
  const jobs: Job[] = [];
  await useLimitsOf(context);
  const places = ownPlaces(context, null, temporaryFolder());
  for (const file of files) {
    context.signal.throwIfAborted();
    const place = path.resolve(context.folder, file);
    const artifact = await examineArtifact(place, { ownPlaces: places, signal: context.signal });
    const settings = await settingsBeside(context, place);
    jobs.push({ file, artifact, settings, workspaceFolder: settings.release === null ? context.folder : null });
  }
  return jobs;
}

/** Settings of the release that a file belongs to, when it lies in a release folder of a workspace; plain ones else. */
async function settingsBeside(context: Context, file: string): Promise<RuleSettings> {
  const beside = await readRecordBeside(file);
  const listed = beside?.record.artifacts.find((artifact) => artifact.file === path.basename(file));
  if (beside === null || listed === undefined) return plainSettings(context);
  try {
    const repository = await openContext({ ...context, folder: path.dirname(file) });
    const workspace = await readWorkspace(context, {
      repository,
      commit: beside.record.commit,
      source: 'working-folder',
    });
    return releaseSettings(context, { workspace, record: beside.record, artifactRecord: listed });
  } catch (error) {
    // A release folder that was copied elsewhere has no configuration any more, and still has its record.
    if (!isBevelstoneError(error, 'WORKSPACE_NOT_FOUND') && !isBevelstoneError(error, 'COMMIT_NOT_FOUND')) throw error;
    return releaseSettings(context, { workspace: null, record: beside.record, artifactRecord: listed });
  }
}

async function check(context: Context, jobs: readonly Job[]): Promise<Verification> {
  const beside = jobs.map(({ artifact }) => artifact);
  const artifacts: VerifiedArtifact[] = [];
  for (const { file, artifact, settings, workspaceFolder } of jobs) {
    context.signal.throwIfAborted();
    const browser = await browserReachOf(artifact, { beside, installed: null, workspace: workspaceFolder });
    artifacts.push({ file, form: artifact.form, findings: checkArtifact(artifact, { ...settings, browser }) });
  }
  warnOfUnused(context, jobs, artifacts);
  return summarise(artifacts);
}

/** An exception that nothing needs any more hides what comes next. */
function warnOfUnused(context: Context, jobs: readonly Job[], artifacts: readonly VerifiedArtifact[]): void {
  const used = new Set(
    artifacts.flatMap(({ findings }) => findings.map(({ rule, excepted }) => `${rule}\0${excepted}`)),
  );
  const all = new Map(
    jobs.flatMap(({ settings }) =>
      settings.exceptions.map((exception) => [`${exception.rule}\0${exception.reason}`, exception] as const),
    ),
  );
  for (const [key, { rule, reason }] of all)
    if (!used.has(key)) warn(context, `the exception for ${rule} ("${reason}") matches no finding; remove it`);
}

/** The error that keeps artifacts from being uploaded, or null when nothing is refused. Its problems are the findings. */
export function refusal({ refused, artifacts, surfaces }: Verification): BevelstoneError | null {
  if (refused === 0) return understated(surfaces);
  const problems = artifacts.flatMap(({ file, findings }) =>
    findings
      .filter(({ severity }) => severity === 'refuse')
      .map(({ rule, path: inside, message, fix }) => ({
        code: 'RULES_REFUSED' as const,
        message: `${path.basename(file)}: ${inside === null ? '' : `${inside}: `}${message} [${rule}]`,
        fix,
        where: null,
      })),
  );
  return new BevelstoneError('RULES_REFUSED', {
    message: `${refused} ${refused === 1 ? 'finding prevents' : 'findings prevent'} the upload`,
    why: 'an upload cannot be undone, so these must be fixed first',
    fix: 'Fix each, commit, and build again. To see them again: bevelstone verify',
    problems,
  });
}

/** Writes the findings for other programs. */
export async function writeSarif(context: Context, { artifacts }: Verification, file: string): Promise<void> {
  const place = (name: string) => path.relative(context.folder, path.resolve(context.folder, name));
  const named = artifacts.map((artifact) => ({ ...artifact, file: place(artifact.file) }));
  const log = formatSarif({ programVersion: context.programVersion, rules: listRules(), artifacts: named });
  await writeWhole(path.resolve(context.folder, file), `${JSON.stringify(log, null, 2)}\n`);
}

function summarise(artifacts: readonly VerifiedArtifact[]): Verification {
  const count = (severity: Finding['severity']) =>
    artifacts.reduce(
      (sum, { findings }) => sum + findings.filter((finding) => finding.severity === severity).length,
      0,
    );
  return { artifacts, refused: count('refuse'), warned: count('warn'), surfaces: [] };
}
