import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { toChangeRecord, weightOf } from '../../core/history/change-record.ts';
import type { OtherCommit } from '../../core/history/walk.ts';
import { tooSmall } from '../../core/surface/understated.ts';
import { cleanText } from '../../core/text/clean.ts';
import { schemeTitle } from '../../core/version/spelling.ts';
import { heaviest } from '../../core/version/weight.ts';
import type { SurfacedSurvey } from '../../flow/surface/survey-surface.ts';
import type { Survey, SurveyedPackage, SurveyedTags } from '../../flow/survey/survey.ts';
import { LazyList } from './json.ts';
import { blank, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** The survey as a person reads it: one line per package, then how the versions are written elsewhere. */
export function renderSurvey(survey: SurfacedSurvey, screen: Screen, withChanges: boolean): string {
  const { colours } = screen;
  const title = survey.workspace.config.supplier ?? survey.workspace.repository.root.split('/').at(-1) ?? '';
  const where = survey.branch === null ? 'on no branch' : `on ${survey.branch}`;
  const head = `${colours.bold(cleanText(title))} at ${survey.commit.slice(0, 7)} ${cleanText(where)}, ${survey.stream.name}`;
  const isCompared = survey.surfaces.some(({ compared }) => compared !== null);
  const rows = survey.packages.map((pkg) => [
    pkg.name,
    pkg.lastInSeries?.version ?? pkg.last?.version ?? blank(screen),
    pkg.next ?? blank(screen),
    pkg.weight,
    ...(isCompared ? [surfaceStepOf(pkg.name, survey) ?? blank(screen)] : []),
    pkg.reasons.join('; '),
  ]);
  const paint = (row: number, column: number, text: string) => {
    const isReleased = survey.packages[row]?.next !== null;
    if (!isReleased) return colours.dim(text);
    return column === 2 ? colours.bold(colours.cyan(text)) : text;
  };
  const columns = ['package', 'last', 'next', 'weight', ...(isCompared ? ['surface'] : []), 'because'];
  const spelt = survey.packages.flatMap(speltElsewhere);
  const parts = [head, renderTable({ columns, rows, screen, paint })];
  const small = survey.surfaces.filter(({ compared }) => compared?.judgement.isUnderstated === true).map(tooSmall);
  const open = survey.surfaces.flatMap(({ artifact, whyNot }) =>
    whyNot === null ? [] : [`the public surface of ${artifact} was not compared: ${whyNot}`],
  );
  for (const text of [...small, ...open]) parts.push(beside(`${sign('warning', screen)} `, cleanText(text), screen));
  if (spelt.length > 0) parts.push(spelt.map((line) => `    ${line}`).join('\n'));
  if (withChanges)
    parts.push(...survey.packages.map((pkg) => renderChanges(pkg, screen)), ...renderOthers(survey, screen));
  if (survey.tags !== null) parts.push(...renderTags(survey.tags, screen));
  return parts.join('\n\n');
}

function renderTags({ read, ignored }: SurveyedTags, screen: Screen): string[] {
  const { bold } = screen.colours;
  const rows = read.map(({ tag, package: name, version, commit }) => [tag, name, version, commit.slice(0, 7)]);
  const columns = ['tag', 'package', 'version', 'commit'];
  return [
    `  ${bold('version tags')}\n${rows.length === 0 ? '    none' : renderTable({ columns, rows, screen })}`,
    ...(ignored.length === 0
      ? []
      : [
          `  ${bold('not read as versions')}\n${renderTable({ columns: ['tag', 'why'], rows: ignored.map(({ tag, why }) => [tag, why]), screen })}`,
        ]),
  ];
}

/** What the surface asks for: the heaviest of a package's artifacts; null where nothing was compared. */
function surfaceStepOf(name: string, { surfaces }: SurfacedSurvey): string | null {
  const own = surfaces.flatMap((check) => (check.package === name && check.compared !== null ? [check.compared] : []));
  if (own.length === 0) return null;
  const isOpen = own.some(({ judgement }) => judgement.step === 'unknown');
  const needed = heaviest(own.map(({ judgement }) => judgement.needed));
  return isOpen ? `${needed}?` : needed;
}

/** The `result` of `survey --json`. */
export function surveyJson({ commit, branch, stream, packages, others, tags, surfaces }: SurfacedSurvey): unknown {
  return {
    commit,
    branch,
    stream: stream.name,
    packages: packages.map((pkg) => packageJson(pkg, surfaces)),
    ...(others.length === 0 ? {} : { others: new LazyList(others, otherJson) }),
    ...(tags === null ? {} : { tags }),
  };
}

function otherJson({ id, subject, isMerge }: OtherCommit): unknown {
  return { commit: id, summary: subject, counted: false, why: whyNot(isMerge) };
}

function whyNot(isMerge: boolean): string {
  return isMerge ? 'merge' : 'not in any package';
}

function packageJson(
  { own: _, isShifted, changes, ...shown }: SurveyedPackage,
  surfaces: SurfacedSurvey['surfaces'],
): unknown {
  const own = surfaces.filter((check) => check.package === shown.name);
  const surface = own.map(({ artifact, compared, whyNot }) => ({
    artifact,
    step: compared?.judgement.step ?? null,
    needed: compared?.judgement.needed ?? null,
    smallest: compared?.judgement.smallest ?? null,
    understated: compared?.judgement.isUnderstated ?? null,
    whyNot,
  }));
  return {
    ...shown,
    ...(own.length === 0 ? {} : { surface }),
    changes: new LazyList(changes, (change) => toChangeRecord(change, isShifted)),
  };
}

/** Says how a version is written where the ecosystem's own scheme differs. */
function speltElsewhere({ name, ecosystem, next, spellings }: SurveyedPackage): string[] {
  const { shownScheme } = ecosystemDefinitions[ecosystem];
  const text = shownScheme === null ? undefined : spellings[shownScheme];
  return shownScheme === null || next === null || text === undefined || text === next
    ? []
    : [`${name} ${next} will be written ${text} (${schemeTitle(shownScheme)})`];
}

const changeColumns = ['commit', 'weight', 'counted as', 'summary'];

function renderChanges({ name, changes: list, isShifted }: SurveyedPackage, screen: Screen): string {
  const changes = [...list];
  const head = `  ${screen.colours.bold(cleanText(name))}`;
  if (changes.length === 0) return `${head}  ${sign('nothing', screen)} no changes`;
  const rows = changes.map(({ commit, why, item }) => [
    commit.slice(0, 7),
    weightOf(item, isShifted),
    why,
    `${item.scope === null ? '' : `${item.scope}: `}${item.summary}`,
  ]);
  const paint = (row: number, _column: number, text: string) =>
    changes[row]?.counted === true && changes[row].item.weight !== 'none' ? text : screen.colours.dim(text);
  return `${head}\n${renderTable({ columns: changeColumns, rows, screen, paint })}`;
}

function renderOthers({ others }: Survey, screen: Screen): string[] {
  if (others.length === 0) return [];
  const rows = others.map(({ id, subject, isMerge }) => [id.slice(0, 7), 'none', whyNot(isMerge), subject]);
  return [
    `  ${screen.colours.bold('not in any package')}\n${renderTable({ columns: changeColumns, rows, screen, paint: (_row, _column, text) => screen.colours.dim(text) })}`,
  ];
}
