import path from 'node:path';
import type { PackageConfig } from '../core/config/config.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Finding, RuleSettings } from '../core/rule/rule.ts';
import { checkArtifact } from '../core/rule/rules.ts';
import { expectedVersion } from '../core/version/expected-version.ts';
import { resolveCommit } from '../world/git/repository.ts';
import { builtReleases, type ReleaseFolder } from './built-release.ts';
import type { Context } from './context.ts';
import { readArtifact } from './read-artifact.ts';
import { openContext, readWorkspace, type Workspace } from './workspace.ts';

/** What the rules found in one artifact. */
export type VerifiedArtifact = { readonly file: string; readonly form: string; readonly findings: readonly Finding[] };

/** The answer of `verify`. */
export type Verification = {
  readonly artifacts: readonly VerifiedArtifact[];
  readonly refused: number;
  readonly warned: number;
};

const noSettings: RuleSettings = { require: [], forbid: [], largest: null, severities: {}, version: null };

/** Runs the rules over the files given, or over what was built for this commit. */
export async function verify(context: Context, files: readonly string[]): Promise<Verification> {
  if (files.length > 0) return verifyFiles(context, files);
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, repository, commit, 'working-folder');
  return verifyReleases(context, workspace, await builtReleases(context, workspace, commit));
}

/** Runs the rules over built releases, with the settings of their packages. */
export async function verifyReleases(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<Verification> {
  const artifacts: VerifiedArtifact[] = [];
  for (const { folder, record } of releases) {
    const config = workspace.packages.find(({ name }) => name === record.package)?.config ?? null;
    for (const { file, form, sha256 } of record.artifacts) {
      context.signal.throwIfAborted();
      const artifact = await readArtifact(path.join(folder, file), { secrets: true });
      const settings = settingsOf(config, expectedVersion(form, record.version, record.spellings));
      if (artifact.sha256 !== sha256) throw altered(path.join(folder, file));
      artifacts.push({ file: path.join(folder, file), form, findings: checkArtifact({ ...artifact, form }, settings) });
    }
  }
  return summarise(artifacts);
}

async function verifyFiles(context: Context, files: readonly string[]): Promise<Verification> {
  const artifacts: VerifiedArtifact[] = [];
  for (const file of files) {
    context.signal.throwIfAborted();
    const artifact = await readArtifact(path.resolve(context.folder, file), { secrets: true });
    artifacts.push({ file, form: artifact.form, findings: checkArtifact(artifact, noSettings) });
  }
  return summarise(artifacts);
}

/** The error that keeps artifacts from being uploaded, or null when no rule refuses. Its problems are the findings. */
export function refusal({ refused, artifacts }: Verification): BevelstoneError | null {
  if (refused === 0) return null;
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
    message: `${refused} ${refused === 1 ? 'finding refuses' : 'findings refuse'} an upload`,
    why: "an upload can't be taken back, so the rules come first",
    fix: 'Settle each, commit, build again; `bevelstone verify` shows them at any time',
    problems,
  });
}

function settingsOf(config: PackageConfig | null, version: string): RuleSettings {
  if (config === null) return { ...noSettings, version };
  const { require, forbid, largest, rules } = config.verify;
  return { require, forbid, largest, severities: rules, version };
}

function summarise(artifacts: readonly VerifiedArtifact[]): Verification {
  const count = (severity: Finding['severity']) =>
    artifacts.reduce(
      (sum, { findings }) => sum + findings.filter((finding) => finding.severity === severity).length,
      0,
    );
  return { artifacts, refused: count('refuse'), warned: count('warn') };
}

/** The error for a file that is not the one that was recorded. */
function altered(file: string): BevelstoneError {
  return new BevelstoneError('RELEASE_ALTERED', {
    message: `${file} is not the file that was built`,
    why: 'its SHA-256 differs from the one in release.json',
    fix: 'Build again; the folder is replaced',
    where: { file },
  });
}
