import { compareEntries, type EntryComparison } from '../../core/contents/compare.ts';
import { commonFolder, type Entry } from '../../core/contents/entry.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { withSurface } from '../../core/form/surfaced.ts';
import type { Change } from '../../core/history/change.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { ManifestDependency } from '../../core/manifest/package-manifest.ts';
import type { Form } from '../../core/name/form.ts';
import { entriesIn } from '../../core/record/contents-list.ts';
import { areTwins } from '../../core/record/release-record.ts';
import type { Context } from '../context.ts';
import { readContentsList } from '../ledger-record/last-artifact.ts';
import { readNamedRelease } from '../ledger-record/named-release.ts';
import type { ReleasedComparison } from '../surface/compare-released.ts';
import { surveyOfRelease } from '../survey/released-survey.ts';
import type { Survey, SurveyedPackage } from '../survey/survey.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';

/** How two releases of a package differ. */
export type ReleaseComparison = {
  readonly with: LedgerRelease;
  readonly artifacts: readonly {
    readonly file: string;
    readonly form: Form;
    readonly sizeBytes: number;
    readonly sizeBytesBefore: number;
    readonly entries: EntryComparison;
  }[];
  /** How public surfaces differ, for each artifact that has one. */
  readonly surfaces: readonly ReleasedComparison[];
  readonly dependencies: {
    readonly added: readonly ManifestDependency[];
    readonly removed: readonly ManifestDependency[];
    readonly changed: readonly { readonly name: string; readonly before: string; readonly after: string }[];
  };
};

/** One release of the ledger with what changed in it. */
export type ShownRelease = {
  readonly release: LedgerRelease;
  readonly changes: readonly Change[];
  readonly survey: Survey;
  readonly surveyed: SurveyedPackage | null;
  readonly against: ReleaseComparison | null;
};

/**
 * Shows a release: from a clone and the ledger alone.
 * @param against another release of the package, whose changes, files, sizes and dependencies are compared; null for none.
 * @throws RELEASE_NOT_RECORDED
 */
export async function showRelease(context: Context, text: string, against: string | null): Promise<ShownRelease> {
  const repository = await openContext(context);
  const release = await readNamedRelease(context, repository, text);
  const other = against === null ? null : await readNamedRelease(context, repository, against);
  const survey = await surveyOfRelease(context, release, other);
  const surveyed = survey.packages.find(({ name }) => name === release.package) ?? null;
  const comparison = other === null ? null : await compare(context, release, other);
  return { release, changes: [...(surveyed?.changes ?? [])], survey, surveyed, against: comparison };
}

async function compare(context: Context, release: LedgerRelease, other: LedgerRelease): Promise<ReleaseComparison> {
  const repository = await openContext(context);
  const [now, before] = [await readContentsList(repository, release), await readContentsList(repository, other)];
  const artifacts = release.artifacts.flatMap((artifact) => {
    const earlier = other.artifacts.find((found) => areTwins(found, artifact));
    const entries = entriesIn(now, artifact.file);
    const earlierEntries = earlier === undefined ? null : entriesIn(before, earlier.file);
    if (earlier === undefined || entries === null || earlierEntries === null) return [];
    return [
      {
        file: artifact.file,
        form: artifact.form,
        sizeBytes: artifact.size,
        sizeBytesBefore: earlier.size,
        entries: compareEntries(earlierEntries, entries, topsOf(artifact.form, earlierEntries, entries)),
      },
    ];
  });
  const dependencies = await compareDependencies(context, release, other);
  return { with: other, artifacts, surfaces: await compareSurfaces(context, release, other), dependencies };
}

async function compareSurfaces(
  context: Context,
  release: LedgerRelease,
  other: LedgerRelease,
): Promise<ReleaseComparison['surfaces']> {
  const wanted = withSurface(release.artifacts).filter((artifact) =>
    other.artifacts.some((found) => areTwins(found, artifact)),
  );
  if (wanted.length === 0) return [];
  const { compareReleased } = await import('../surface/compare-released.ts');
  return compareReleased(context, { package: release.package, from: other.version, to: release.version, wanted });
}

/** The folders that archives lie below, where they are called after their versions; '' for none. */
function topsOf(form: Form, earlier: readonly Entry[], entries: readonly Entry[]): { before: string; after: string } {
  const tops = { before: commonFolder(earlier), after: commonFolder(entries) };
  const isVersioned = formDefinitions[form].entries.hasTopFolder && tops.before !== tops.after;
  return isVersioned ? tops : { before: '', after: '' };
}

async function compareDependencies(
  context: Context,
  release: LedgerRelease,
  other: LedgerRelease,
): Promise<ReleaseComparison['dependencies']> {
  const at = async ({ commit, package: name }: LedgerRelease) => {
    const workspace = await readWorkspace(context, {
      repository: await openContext(context),
      commit,
      source: 'commit',
    });
    return workspace.packages.find((pkg) => pkg.name === name)?.manifest?.dependencies ?? [];
  };
  const [now, before] = [await at(release), await at(other)];
  const isSame = (a: ManifestDependency) => (b: ManifestDependency) => a.name === b.name && a.kind === b.kind;
  return {
    added: now.filter((manifestDependency) => !before.some(isSame(manifestDependency))),
    removed: before.filter((manifestDependency) => !now.some(isSame(manifestDependency))),
    changed: now.flatMap((manifestDependency) => {
      const earlier = before.find(isSame(manifestDependency));
      return earlier === undefined || earlier.range === manifestDependency.range
        ? []
        : [{ name: manifestDependency.name, before: earlier.range, after: manifestDependency.range }];
    }),
  };
}
