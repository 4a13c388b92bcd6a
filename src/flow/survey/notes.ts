import path from 'node:path';
import { renderMarkdown } from '../../core/changelog/markdown.ts';
import { renderDebianStanza, renderPlainText } from '../../core/changelog/plain-text.ts';
import { contributorsOf, type ReleaseNotes, sectionsOf } from '../../core/changelog/section.ts';
import type { LinksConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isSbom } from '../../core/form/definitions.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { counterOf } from '../../core/version/stream.ts';
import { isNormal } from '../../core/version/version.ts';
import { readTextIfThere } from '../../world/files.ts';
import { readFilesAt } from '../../world/git/read-objects.ts';
import { commitTime, committerIdentity } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { noteUncommitted } from '../workspace/workspace.ts';
import { extendChangelogFile } from './changelog-file.ts';
import { plainSurvey, type Survey, type SurveyedPackage, surveyWorkspace } from './survey.ts';

/** How notes are written. */
export type NotesFormat = 'md' | 'text' | 'json' | 'debian';

/** What `notes` may be asked for. */
export type NotesOptions = {
  readonly from: string | null;
  readonly to: string | null;
  readonly format: NotesFormat;
  readonly template: string | null;
  readonly contributors: boolean;
  readonly write: boolean;
};

/** Notes of one release, sorted and written. */
export type WrittenNotes = { readonly notes: ReleaseNotes; readonly text: string };

/** The answer of `notes`. */
export type Notes = {
  readonly releases: readonly WrittenNotes[];
  /** All texts in one, or what the template made of them. */
  readonly text: string;
  /** Changelogs that were written, as paths in the repository. */
  readonly written: readonly string[];
};

/**
 * Release notes of the next release of each package, of a past one (`to` names its commit), or of any range.
 * With `write` they go into the packages' changelog files, at their place, everything else kept.
 */
export async function makeNotes(context: Context, options: NotesOptions): Promise<Notes> {
  const survey = await surveyRange(context, options);
  const chosen = chooseReleases(survey, options);
  const at = chosen.some(({ here }) => here !== null)
    ? new Date((await commitTime(survey.workspace.repository.place, survey.commit)) * 1000)
    : context.now();
  const releases: WrittenNotes[] = [];
  const intros = await readIntros(
    context,
    survey,
    chosen.filter(({ here }) => here === null),
  );
  const isReleased = chosen.some(({ here }) => here !== null);
  const known = isReleased ? await readLedger(context, survey.workspace.repository) : [];
  for (const pkg of chosen) {
    const intro = intros.get(pkg.name) ?? null;
    const range = rangeName(options, survey);
    const notes = {
      ...notesOf(survey, pkg, { at, intro, contributors: options.contributors, range }),
      ...(pkg.here === null ? {} : { sboms: sbomsOf(known, pkg) }),
    };
    releases.push({ notes, text: await render({ survey, pkg, notes, format: options.format, at }) });
  }
  const written = options.write ? await writeChangelogs(context, survey, releases) : [];
  const all = releases.map(({ notes }) => notes);
  const text =
    options.template === null
      ? releases.map((release) => release.text).join('\n')
      : await fromTemplate(context, { file: options.template, notes: all, links: survey.workspace.config.links });
  return { releases, text, written };
}

/** The SBOMs of a release that the ledger knows: some destinations have no place for them, and users have to know that they exist. */
function sbomsOf(known: readonly LedgerRelease[], { name, here }: SurveyedPackage) {
  const release = known.find((each) => each.package === name && each.version === here?.version);
  return release?.isVouched === true ? release.artifacts.filter(isSbom) : [];
}

/** How the notes of one release are made. */
export type NotesParts = {
  readonly at: Date;
  readonly intro: string | null;
  readonly contributors: boolean;
  readonly range: string;
};

/** The notes of one surveyed package. A labelled stream's notes cover what came since the last of its series. */
export function notesOf(
  { stream, workspace }: Survey,
  pkg: SurveyedPackage,
  { at, intro, contributors, range }: NotesParts,
): ReleaseNotes {
  const isSeries = stream.type === 'labelled' && pkg.lastInSeries !== null;
  const changes = [...pkg.changes].filter(({ sinceSeries }) => !isSeries || sinceSeries);
  const follows = pkg.reasons
    .filter((reason) => reason.startsWith('follows '))
    .map((reason) => reason.replace('follows ', 'Needs '));
  const titles = workspace.config.notes.sections;
  const sections = sectionsOf(changes, titles, follows);
  return {
    package: pkg.name,
    version: pkg.here?.version ?? pkg.next,
    range,
    date: at.toISOString().slice(0, 10),
    intro,
    sections: sections.length > 0 ? sections : sectionsOf([], titles, [whyWithoutChanges(pkg)]),
    contributors: contributors ? contributorsOf(changes) : [],
  };
}

/** What the notes of a release say that no change of its own explains. */
function whyWithoutChanges({ because, reasons, last }: SurveyedPackage): string {
  if (because !== null) return because;
  const together = reasons.find((reason) => reason.startsWith('together with '));
  if (together !== undefined) return `Released ${together}`;
  return last === null ? 'First release' : 'No changes of its own';
}

/** The maintainer's own introduction at the surveyed commit: `notes/next.md` of the package. */
export async function readIntro(context: Context, survey: Survey, pkg: SurveyedPackage): Promise<string | null> {
  return (await readIntros(context, survey, [pkg])).get(pkg.name) ?? null;
}

/** The introductions of several packages, by their names. One git process. */
async function readIntros(
  context: Context,
  { workspace: { repository }, commit }: Survey,
  packages: readonly SurveyedPackage[],
): Promise<Map<string, string>> {
  const fileOf = ({ folder }: SurveyedPackage) => (folder === '.' ? 'notes/next.md' : `${folder}/notes/next.md`);
  const texts = await readFilesAt(repository.place, commit, packages.map(fileOf));
  const committed = new Map(packages.map(fileOf).map((file) => [file, texts.get(file) ?? null]));
  await noteUncommitted(context, { repository, commit, committed });
  return new Map(
    packages.flatMap((pkg) => {
      const text = texts.get(fileOf(pkg))?.trim() ?? '';
      return text === '' ? [] : [[pkg.name, text] as const];
    }),
  );
}

/** A released prerelease is looked at in its own stream, so that its notes begin at the one before it. */
async function surveyRange(context: Context, { from, to }: NotesOptions): Promise<Survey> {
  const options = { ...plainSurvey, at: to, from, asReleased: to !== null };
  const survey = await surveyWorkspace(context, options);
  const prerelease = survey.packages.map(({ here }) => here?.version ?? '0.0.0').find((version) => !isNormal(version));
  const stream = Object.entries(survey.workspace.config.streams).find(
    ([, { identifier }]) =>
      identifier !== undefined && prerelease !== undefined && counterOf(prerelease, identifier) !== null,
  );
  return stream === undefined ? survey : surveyWorkspace(context, { ...options, stream: stream[0] });
}

/** What was released at the commit if anything was, else what has something to tell. */
function chooseReleases({ packages }: Survey, { to, from }: NotesOptions): SurveyedPackage[] {
  const released = packages.filter(({ here }) => here !== null);
  if (to !== null && released.length > 0) return released;
  return packages.filter(({ next, changes }) => (from === null ? next !== null : changes.length > 0));
}

function rangeName({ from, to }: NotesOptions, { commit }: Survey): string {
  return from === null ? `up to ${to ?? commit.slice(0, 7)}` : `${from} to ${to ?? commit.slice(0, 7)}`;
}

async function render({
  survey,
  pkg,
  notes,
  format,
  at,
}: {
  readonly survey: Survey;
  readonly pkg: SurveyedPackage;
  readonly notes: ReleaseNotes;
  readonly format: NotesFormat;
  readonly at: Date;
}): Promise<string> {
  const { links } = survey.workspace.config;
  if (format === 'text') return renderPlainText(notes);
  if (format !== 'debian') return renderMarkdown(notes, { links, withPackage: true, level: 2 });
  const maintainer = await committerIdentity(survey.workspace.repository.place);
  const version = pkg.spellings.debian ?? `${notes.version ?? '0'}-1`;
  return renderDebianStanza({ notes, version, maintainer, at });
}

async function fromTemplate(
  context: Context,
  {
    file,
    notes,
    links,
  }: { readonly file: string; readonly notes: readonly ReleaseNotes[]; readonly links: LinksConfig },
): Promise<string> {
  const template = await readTextIfThere(path.resolve(context.folder, file));
  if (template === null) {
    throw new BevelstoneError('FILE_NOT_FOUND', {
      message: `template not found: ${file}`,
      why: 'it was given with --template',
      fix: 'Check the path',
      where: { file },
    });
  }
  const { renderTemplate } = await import('../../core/changelog/template.ts');
  return renderTemplate({ template, file, notes, links });
}

async function writeChangelogs(context: Context, survey: Survey, releases: readonly WrittenNotes[]): Promise<string[]> {
  const { root } = survey.workspace.repository;
  const written: string[] = [];
  for (const { notes } of releases) {
    const { version } = notes;
    const surveyed = survey.packages.find(({ name }) => name === notes.package);
    if (version === null || surveyed === undefined) continue;
    const at = new Date(`${notes.date}T00:00:00Z`);
    const { inside, isChanged } = await extendChangelogFile(context, {
      survey,
      surveyed,
      notes: { ...notes, version },
      at,
      root,
    });
    if (isChanged) written.push(inside);
  }
  return written;
}
