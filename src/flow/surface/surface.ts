import path from 'node:path';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { withSurface } from '../../core/form/surfaced.ts';
import type { Form } from '../../core/name/form.ts';
import {
  type Difference,
  type NotChecked,
  type SurfaceEntry,
  type SurfaceStep,
  stepFor,
} from '../../core/surface/surface.ts';
import { nearest } from '../../core/text/nearest.ts';
import { exists, writeWhole } from '../../world/files.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { type Context, during } from '../context.ts';
import { readArtifact } from '../read/read-artifact.ts';
import { builtOrUnreleased, readRecordBeside } from '../release-folder/built-release.ts';
import { useLimitsOf } from '../workspace/limits.ts';
import { openContext, type Package, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { compareFiles, surfaceOfFile } from './compare-sources.ts';
import { EarlierArtifacts, packageNamed } from './earlier-artifact.ts';
import { hasSurface } from './read-source.ts';

/** What `surface` is asked. */
export type SurfaceOptions = {
  /** A file, a package, or `PACKAGE@VERSION`; null for all that is built. */
  readonly target: string | null;
  /** A file, `PACKAGE@VERSION`, or `last`; null for the surface itself. */
  readonly against: string | null;
  /** A file for the comparison as a page. */
  readonly page: string | null;
};

/** The surface of one artifact, and how it differs. */
export type ShownSurface = {
  /** As it was given, or its file name. */
  readonly artifact: string;
  readonly form: Form;
  readonly entries: readonly SurfaceEntry[];
  readonly notChecked: readonly NotChecked[];
  readonly comparison: {
    readonly against: string;
    readonly differences: readonly Difference[];
    readonly step: SurfaceStep;
  } | null;
};

/** The answer of `surface`. */
export type SurfaceAnswer = { readonly surfaces: readonly ShownSurface[]; readonly page: string | null };

/** An artifact on this machine, and which release it is of where that is known. */
type Subject = {
  readonly file: string;
  readonly shown: string;
  readonly of: { readonly package: string; readonly last: string | null; readonly platform: string | null } | null;
};

/**
 * Shows what users of artifacts can refer to, or how that differs from another artifact.
 * @throws SURFACE_UNREADABLE, FILE_NOT_FOUND, RELEASE_NOT_BUILT, and like readArtifact.
 */
export async function showSurface(context: Context, options: SurfaceOptions): Promise<SurfaceAnswer> {
  await useLimitsOf(context);
  const subjects = await subjectsOf(context, options.target);
  const surfaces: ShownSurface[] = [];
  for (const subject of subjects) {
    context.signal.throwIfAborted();
    surfaces.push(await shown(context, subject, options.against));
  }
  const page = options.page === null ? null : path.resolve(context.folder, options.page);
  if (page !== null) {
    const { surfacePage } = await import('../../core/page/surface-page.ts');
    await writeWhole(page, surfacePage(surfaces));
  }
  return { surfaces, page };
}

async function shown(context: Context, subject: Subject, against: string | null): Promise<ShownSurface> {
  if (against === null) {
    const { read, surface } = await surfaceOfFile(subject.file);
    return { artifact: subject.shown, form: read.form, ...surface, comparison: null };
  }
  const other = await earlierOf(context, subject, against);
  const what = `compare ${subject.shown} with ${other.shown}`;
  const { form, differences, before, after } = await during(context, what, () =>
    compareFiles(other.file, subject.file),
  );
  return {
    artifact: subject.shown,
    form,
    entries: after.entries,
    notChecked: [...after.notChecked, ...before.notChecked.map(({ entry, why }) => ({ entry, why: `before: ${why}` }))],
    comparison: { against: other.shown, differences, step: stepFor(differences) },
  };
}

async function subjectsOf(context: Context, target: string | null): Promise<Subject[]> {
  if (target !== null && (await exists(path.resolve(context.folder, target))))
    return [await fileSubject(context, target)];
  const { workspace, commit } = await workspaceHere(context, target);
  const name = target === null ? null : releaseName(target);
  if (name?.version != null) return [await releasedSubject(context, workspace, { ...name, version: name.version })];
  if (name !== null) requirePackage(workspace, name.package);
  const packages = name === null ? context.packages : [packageNamed(workspace, name.package)?.name ?? name.package];
  const releases = await builtOrUnreleased({ ...context, packages }, workspace, commit);
  const candidates = releases.flatMap(({ folder, record }) =>
    withSurface(record.artifacts).map(({ file, form, platform }) => ({
      form,
      file: path.join(folder, file),
      shown: file,
      of: { package: record.package, last: record.last, platform },
    })),
  );
  const subjects: Subject[] = [];
  for (const candidate of candidates) if (await hasSurface(candidate.file, candidate.form)) subjects.push(candidate);
  if (subjects.length > 0) return subjects;
  throw new BevelstoneError('SURFACE_UNREADABLE', {
    message: `nothing that is built${target === null ? '' : ` of ${target}`} has a public surface that can be read`,
    why: `the forms are ${[...new Set(releases.flatMap(({ record }) => record.artifacts.map(({ form }) => form)))].join(', ')}`,
    fix: 'Build a package of a language, or an archive with libraries and headers; or give a file',
  });
}

async function fileSubject(context: Context, target: string): Promise<Subject> {
  const file = path.resolve(context.folder, target);
  const beside = await readRecordBeside(file);
  if (beside === null) return { file, shown: target, of: null };
  const { package: name, last, artifacts } = beside.record;
  const platform = artifacts.find((artifact) => artifact.file === path.basename(file))?.platform ?? null;
  return { file, shown: target, of: { package: name, last, platform } };
}

/** @throws FILE_NOT_FOUND where there is neither the file nor a workspace. */
async function workspaceHere(
  context: Context,
  target: string | null,
): Promise<{ readonly workspace: Workspace; readonly commit: string }> {
  try {
    const repository = await openContext(context);
    const commit = await resolveCommit(repository.place, 'HEAD');
    return { workspace: await readWorkspace(context, { repository, commit, source: 'working-folder' }), commit };
  } catch (error) {
    if (target === null || !isBevelstoneError(error, 'WORKSPACE_NOT_FOUND')) throw error;
    throw notFound(target, 'there is no such file, and no workspace here that could have such a package');
  }
}

function requirePackage(workspace: Workspace, name: string): void {
  if (packageNamed(workspace, name) !== null) return;
  const names = workspace.packages.map((pkg) => pkg.name);
  const near = nearest(name, names);
  throw notFound(
    name,
    `there is no such file, and the packages here are ${names.join(', ')}`,
    near === null ? undefined : `Did you mean "${near}"?`,
  );
}

function notFound(target: string, why: string, fix = 'Give a file, a package, or PACKAGE@VERSION'): BevelstoneError {
  return new BevelstoneError('FILE_NOT_FOUND', {
    message: `${target} was not found`,
    why,
    fix,
    where: { file: target },
  });
}

/** `PACKAGE@VERSION`, or a package alone; a name may begin with `@`. */
function releaseName(text: string): { readonly package: string; readonly version: string | null } {
  const at = text.lastIndexOf('@');
  return at > 0 ? { package: text.slice(0, at), version: text.slice(at + 1) } : { package: text, version: null };
}

/** An artifact of an earlier release; of the form that its package builds and that has a surface. */
async function releasedSubject(
  context: Context,
  workspace: Workspace,
  {
    form = null,
    platform = null,
    ...name
  }: {
    readonly package: string;
    readonly version: string;
    readonly form?: Form | null;
    readonly platform?: string | null;
  },
): Promise<Subject> {
  requirePackage(workspace, name.package);
  const pkg = packageNamed(workspace, name.package);
  const forms = [...(pkg?.config.artifacts ?? []).map((artifact) => artifact.form), ...usualFormsOf(pkg)];
  // An archive of any files may have no surface: what is made for the package's own language comes first.
  const own = forms.filter((candidate) => formDefinitions[candidate].ecosystem === pkg?.ecosystem);
  const usual = [...own, ...forms].find((candidate) => formDefinitions[candidate].surface !== null);
  if (usual === undefined)
    throw notFound(`${name.package}@${name.version}`, 'none of its artifacts has a public surface that can be read');
  const earlier = new EarlierArtifacts(context, workspace);
  const shownName = `${name.package} ${name.version}`;
  const question = {
    package: pkg?.name ?? name.package,
    version: name.version,
    form: form ?? usual,
    platform,
  };
  const found = await during(context, `find ${shownName}`, () => earlier.find(question));
  for (const secret of earlier.secrets) context.secrets.add(secret);
  if (found.type === 'missing')
    throw new BevelstoneError('RELEASE_NOT_BUILT', {
      message: `${shownName} cannot be had`,
      why: found.why,
      fix: 'Give the file of that release instead',
    });
  return {
    file: found.file,
    shown: `${shownName} (${found.from})`,
    of: { package: question.package, last: null, platform },
  };
}

/** Forms of a package whose configuration names none. */
function usualFormsOf(pkg: Package | null): readonly Form[] {
  return pkg === null ? [] : ecosystemDefinitions[pkg.ecosystem].usualForms;
}

async function earlierOf(context: Context, subject: Subject, against: string): Promise<Subject> {
  if (against !== 'last' && (await exists(path.resolve(context.folder, against)))) return fileSubject(context, against);
  const { workspace } = await workspaceHere(context, against === 'last' ? null : against);
  const like = { form: (await readArtifact(subject.file)).form, platform: subject.of?.platform ?? null };
  if (against !== 'last') {
    const name = releaseName(against);
    if (name.version === null) throw notFound(against, 'there is no such file, and no version to compare with');
    return releasedSubject(context, workspace, { package: name.package, version: name.version, ...like });
  }
  const { of } = subject;
  if (of?.last == null)
    throw new BevelstoneError('RELEASE_NOT_BUILT', {
      message: `no earlier release to compare ${subject.shown} with`,
      why: of === null ? 'nothing says which package it is of' : `it is the first release of ${of.package}`,
      fix: 'Give the other file: --against FILE',
    });
  return releasedSubject(context, workspace, { package: of.package, version: of.last, ...like });
}
