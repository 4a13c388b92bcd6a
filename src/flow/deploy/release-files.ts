import path from 'node:path';
import type { DeploymentConfig } from '../../core/config/config.ts';
import { destinationsOf } from '../../core/config/config.ts';
import { commonFolder } from '../../core/contents/entry.ts';
import { insidePart } from '../../core/deploy/mapped-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions, isSbom, isWholeArchive } from '../../core/form/definitions.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Form } from '../../core/name/form.ts';
import { takesForm } from '../../core/plan/delivery-plan.ts';
import { type DeployedFile, formatDeployedFiles, parseDeployedFiles } from '../../core/record/deployment-state.ts';
import { whyUnreadable } from '../../core/record/parse-record.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { readArchive } from '../../world/archive/read-archive.ts';
import { type Context, during } from '../context.ts';
import { requireVouched, vouchedArtifacts } from '../ledger-record/vouched.ts';
import { EarlierArtifacts } from '../surface/earlier-artifact.ts';
import { ensureTrust } from '../workspace/trust.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** The files of a release on this machine, as they go to a target. */
export type LocalRelease = {
  readonly files: readonly DeployedFile[];
  /** Where a file lies here, by its path inside the release. */
  readonly placeOf: (file: string) => string;
};

/** The artifact that a deployment takes of a release. @throws PLAN_UNVERIFIED, DEPLOY_NO_ARTIFACT */
export function artifactFor(release: LedgerRelease, config: DeploymentConfig): ArtifactRecord {
  requireVouched(release, 'Fetch the tags and try again: git fetch --tags');
  const all = vouchedArtifacts(release).filter((artifact) => !isSbom(artifact) && artifact.partial === undefined);
  const fits = all.filter(
    (artifact) =>
      (config.artifact === null ? isWholeArchive(artifact) : artifact.form === config.artifact) &&
      (config.platform === null || artifact.platform === config.platform),
  );
  const [only] = fits;
  if (only !== undefined && (fits.length === 1 || config.artifact === null)) return only;
  throw new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message:
      fits.length === 0
        ? `${release.package} ${release.version} has no artifact that this deployment takes`
        : `${release.package} ${release.version} has several artifacts that this deployment could take`,
    why: `it has ${all.map(({ file, form, platform }) => `${file} (${[form, platform].filter((part) => part !== null).join(', ')})`).join(', ')}`,
    fix: 'Name form and platform in the configuration: deployments: NAME: { artifact: tar.gz, platform: linux-x64 }',
  });
}

/**
 * The artifact on this machine: as it was built here, or fetched from a destination, always with the digest on record.
 * @throws DEPLOY_NO_ARTIFACT
 */
export async function fetchForDeployment(
  context: Context,
  workspace: Workspace,
  { release, artifact }: { readonly release: LedgerRelease; readonly artifact: ArtifactRecord },
): Promise<string> {
  const earlier = new EarlierArtifacts(context, workspace);
  const { package: name, version } = release;
  const question = { package: name, version, form: artifact.form, platform: artifact.platform };
  const here = await earlier.find(question, 'here');
  if (here.type === 'found' && (await fileDigest(here.file, artifact.size)) === artifact.sha256) return here.file;
  const pkg = workspace.packages.find((own) => own.name === name);
  const names = (pkg === undefined ? [] : destinationsOf(pkg.config)).filter((destination) => {
    const config = workspace.config.destinations[destination];
    return config !== undefined && takesForm(config, artifact.form);
  });
  await ensureTrust(context, workspace, names);
  const found = await during(context, `fetch ${artifact.file}`, () => earlier.find(question, 'delivered'));
  for (const secret of earlier.secrets) context.secrets.add(secret);
  if (found.type === 'found' && (await fileDigest(found.file, artifact.size)) === artifact.sha256) return found.file;
  throw new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `${artifact.file} of ${name} ${version} is not available`,
    why: found.type === 'missing' ? found.why : `${found.from} it has other bytes than on record`,
    fix: 'Check the destinations with: bevelstone probe. A release that was never delivered must be published first',
  });
}

/**
 * Unpacks an artifact into a new folder and lists its files, without the one folder that everything lies in.
 * @throws EXTRACT_UNSAFE, ARCHIVE_DAMAGED, ENTRY_NOT_FOUND for a mapped path that is not inside.
 */
export async function unpackForDeployment(
  { file, form }: { readonly file: string; readonly form: Form },
  folder: string,
  { unpack, map }: DeploymentConfig,
): Promise<LocalRelease> {
  if (!unpack) {
    const name = path.basename(file);
    const sha256 = await fileDigest(file, 0);
    const only = { path: name, type: 'file', mode: modeFor(name, 0o644, map), sha256, linkname: null } as const;
    return checkedMap(file, map, { files: [only], placeOf: () => file });
  }
  await extractArchive(file, folder);
  const entries = (await readArchive(file)).entries.map((entry) => ({
    ...entry,
    path: entry.path.replace(/^(?:\.\/)+/, '').replace(/\/$/, ''),
  }));
  const top = topOf(
    entries.filter(({ type }) => type !== 'folder'),
    { form, map },
  );
  const files = entries.flatMap(({ path: full, type, mode, sha256, linkname }): DeployedFile[] => {
    const inside = full.slice(top.length);
    if ((type !== 'file' && type !== 'symlink') || sha256 === null) return [];
    if (type === 'symlink') return [{ path: inside, type, mode: 0, sha256, linkname }];
    return [{ path: inside, type, mode: modeFor(inside, mode, map), sha256, linkname: null }];
  });
  files.sort((a, b) => (a.path < b.path ? -1 : 1));
  return checkedMap(file, map, { files, placeOf: (inside) => path.join(folder, top, inside) });
}

/** The folder that everything lies in, where the form has one and the map does not name it. */
function topOf(
  entries: readonly { readonly path: string }[],
  { form, map }: { readonly form: Form; readonly map: DeploymentConfig['map'] },
): string {
  const top = formDefinitions[form].entries.hasTopFolder ? commonFolder(entries) : '';
  const isNamed = map.some(({ from }) => from !== '.' && `${from}/`.startsWith(top));
  return isNamed ? '' : top;
}

/** Permissions of a file on a target: those that the map names, else plain or executable as in the archive. */
export function modeFor(file: string, packed: number, map: DeploymentConfig['map']): number {
  const usual = (packed & 0o111) === 0 ? 0o644 : 0o755;
  const own = map.find(({ from, mode }) => mode !== null && insidePart(file, from) !== null);
  return own === undefined ? usual : Number.parseInt(own.mode ?? '', 8);
}

/** @throws EXTRACT_UNSAFE for names that no record takes; ENTRY_NOT_FOUND */
function checkedMap(file: string, map: DeploymentConfig['map'], release: LocalRelease): LocalRelease {
  refuseStrange(file, release.files);
  const missing = map.find(({ from }) => !release.files.some((own) => insidePart(own.path, from) !== null));
  if (missing === undefined) return release;
  const tops = [...new Set(release.files.map((own) => own.path.split('/')[0] ?? ''))];
  throw new BevelstoneError('ENTRY_NOT_FOUND', {
    message: `${path.basename(file)} has no "${missing.from}"`,
    why: `at its top it has ${tops.slice(0, 10).join(', ')}`,
    fix: 'Correct `from` in `map` of the deployment',
  });
}

/** What could not be read again from the list on the target would make that deployment a dead end. @throws EXTRACT_UNSAFE */
export function refuseStrange(file: string, files: readonly DeployedFile[]): void {
  const parsed = parseDeployedFiles(formatDeployedFiles(files));
  if (parsed.type === 'record') return;
  throw new BevelstoneError('EXTRACT_UNSAFE', {
    message: `${path.basename(file)} cannot be deployed`,
    why: `the list of its files would not be readable again: ${whyUnreadable(parsed)}`,
    fix: 'Rename files with control characters, backslashes or very long paths',
    where: { file },
  });
}
