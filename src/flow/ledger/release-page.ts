import path from 'node:path';
import { isSbom } from '../../core/form/definitions.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { renderReleaseCard, type ShownCardRelease, type ShownFile } from '../../core/page/release-card.ts';
import { consumerLines } from '../../core/protocol/consumer-line.ts';
import type { ContentsList } from '../../core/record/contents-list.ts';
import { type CardRelease, findingText, type ReleaseCard } from '../../core/record/release-card.ts';
import { parseSbom, readSbom } from '../../core/sbom/formats.ts';
import { summaryText } from '../../core/surface/check.ts';
import { isMissing, readText, writeWhole } from '../../world/files.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import { readContentsList } from '../ledger-record/last-artifact.ts';
import { builtFolder, requireContentsIn } from '../release-folder/built-release.ts';
import { notesOf } from '../survey/notes.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { type ShownRelease, showRelease } from './ledger-show.ts';
import { offersOf } from './lines.ts';

/** Writes the card of releases on record as a page. @returns where it lies. */
export async function writeLedgerCard(
  context: Context,
  {
    releases,
    file,
    known = null,
  }: { readonly releases: readonly ShownRelease[]; readonly file: string; readonly known?: ReleaseCard | null },
): Promise<string> {
  const [first] = releases;
  if (first === undefined) throw new Error('a card needs a release');
  const shown = await Promise.all(
    releases.map((release) =>
      fromLedger(
        context,
        release,
        known?.releases.find((card) => card.package === release.release.package),
      ),
    ),
  );
  const { supplier } = first.survey.workspace.config;
  const { date, commit, about } = first.release;
  const card = { supplier, state: 'Released', date: date.slice(0, 10), commit, stream: about.stream.name };
  const place = path.resolve(context.folder, file);
  await writeWhole(place, renderReleaseCard({ ...card, releases: shown }));
  return place;
}

/** Writes the card of what is about to be released. @param folder where the release folders lie. @returns where it lies. */
export async function writePlannedCard(
  context: Context,
  { card, folder, file }: { readonly card: ReleaseCard; readonly folder: string; readonly file: string },
): Promise<string> {
  const repository = await openContext(context);
  const { config } = await readWorkspace(context, { repository, commit: card.source, source: 'commit' });
  const releases = await Promise.all(
    card.releases.map(async (release): Promise<ShownCardRelease> => {
      const out = builtFolder(folder, release);
      const list = await requireContentsIn(out);
      return {
        ...withArtifacts(release.artifacts, list),
        package: release.package,
        version: release.version,
        last: release.last,
        weight: release.weight,
        reasons: release.reasons,
        intro: release.notes.intro,
        sections: release.notes.sections,
        ...checksOf(release),
        sboms: await sbomFacts(out, release.artifacts),
        deliveries: release.artifacts.flatMap(({ file: artifact, to }) =>
          to.map((destination) => ({ destination, artifact, state: 'will be uploaded', address: null })),
        ),
        lines: [],
      };
    }),
  );
  const { supplier } = config;
  const date = context.now().toISOString().slice(0, 10);
  const head = { supplier, state: 'About to be released', date, commit: card.commit, stream: card.stream };
  const place = path.resolve(context.folder, file);
  await writeWhole(place, renderReleaseCard({ ...head, releases }));
  return place;
}

async function fromLedger(
  context: Context,
  { release, survey, surveyed }: ShownRelease,
  card: CardRelease | undefined,
): Promise<ShownCardRelease> {
  const repository = await openContext(context);
  const at = new Date(release.date);
  const notes =
    surveyed === null ? null : notesOf(survey, surveyed, { at, intro: null, contributors: false, range: '' });
  const output = await placeInside(repository.root, survey.workspace.config.output, '`output`');
  const out = builtFolder(output, release);
  const artifacts = release.artifacts.map(({ size, ...value }) => ({ ...value, sizeBytes: size }));
  return {
    ...withArtifacts(artifacts, await readContentsList(repository, release)),
    package: release.package,
    version: release.version,
    last: surveyed?.last?.version ?? null,
    weight: surveyed?.weight ?? 'none',
    reasons: surveyed?.reasons ?? [],
    intro: card?.notes.intro ?? null,
    sections: notes?.sections ?? [],
    ...(card === undefined ? { findings: null, rehearsed: [], surface: [] } : checksOf(card)),
    sboms: await sbomFacts(out, artifacts),
    deliveries: deliveriesOf(release),
    lines: offersOf(context, survey.workspace, release).flatMap(consumerLines),
  };
}

function deliveriesOf({ deliveries }: LedgerRelease): ShownCardRelease['deliveries'] {
  return deliveries.map(({ destination, artifact, state, confirmed, address }) => ({
    destination,
    artifact,
    state: confirmed === 'bytes' ? `${state}, downloaded again, same checksum` : state,
    address,
  }));
}

function checksOf({
  findings,
  rehearsed,
  surface = [],
}: CardRelease): Pick<ShownCardRelease, 'findings' | 'rehearsed' | 'surface'> {
  const accepted = surface.flatMap(({ excepted }) =>
    excepted.map(({ name, reason }) => `accepted: ${name}: ${reason}`),
  );
  return { findings: findings.map(findingText), rehearsed, surface: [...surface.map(summaryText), ...accepted] };
}

type Sized = Pick<CardRelease['artifacts'][number], 'file' | 'form' | 'sizeBytes' | 'sha256' | 'partial'>;

function withArtifacts(artifacts: readonly Sized[], list: ContentsList): Pick<ShownCardRelease, 'artifacts'> {
  return {
    artifacts: artifacts
      .filter((artifact) => !isSbom(artifact))
      .map(({ file, form, sizeBytes, sha256, partial }) => ({
        ...{ file, form, sizeBytes, sha256, files: filesIn(list, file) },
        ...(partial === undefined ? {} : { partial }),
      })),
  };
}

function filesIn(list: ContentsList, file: string): ShownFile[] {
  const entries = list.artifacts.find((artifact) => artifact.file === file)?.entries ?? [];
  return entries
    .filter(({ type }) => type === 'file')
    .map(({ path: inside, size }) => ({ path: inside, sizeBytes: size }));
}

/** What the SBOMs say in short; their names alone where they do not lie here. */
async function sbomFacts(folder: string, artifacts: readonly Sized[]): Promise<string[]> {
  const facts: string[] = [];
  for (const { file } of artifacts.filter(isSbom)) {
    try {
      const { packages } = readSbom(parseSbom(await readText(path.join(folder, file)), file));
      const files = packages.reduce((sum, pkg) => sum + (pkg.files?.length ?? 0), 0);
      facts.push(`${file}: ${packages.length} components, ${files} files`);
    } catch (error) {
      if (!isMissing(error)) throw error;
      facts.push(file);
    }
  }
  return facts;
}

/** Releases as the ledger has them, for a card. */
export async function shownReleases(context: Context, names: readonly string[]): Promise<ShownRelease[]> {
  const shown: ShownRelease[] = [];
  for (const name of names) shown.push(await showRelease(context, name, null));
  return shown;
}
