import path from 'node:path';
import type { Finding, Rule } from '../../core/rule/rule.ts';
import { type SurfaceCheck, summariseCheck, summaryText } from '../../core/surface/check.ts';
import { isRefused } from '../../core/surface/understated.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { Verification, VerifiedArtifact } from '../../flow/artifact/verify.ts';
import { displayPath } from './display-path.ts';
import { type Mark, type Screen, sign } from './screen.ts';
import { beside } from './wrap.ts';

const marks: Readonly<Record<Finding['severity'], readonly [Mark, string]>> = {
  refuse: ['refused', 'refused'],
  warn: ['warning', 'warning'],
  note: ['nothing', 'note   '],
};
const order: readonly Finding['severity'][] = ['refuse', 'warn', 'note'];

/** Findings by artifact, the gravest first, each with its path and what to do; the sum is the last line. */
export function renderVerification(
  { artifacts, refused: byRules, warned, surfaces }: Verification,
  screen: Screen,
  sarif: string | null,
): string {
  const { colours } = screen;
  const name = (file: string) => colours.bold(cleanText(path.basename(file)));
  const passed = artifacts.filter(({ findings }) => findings.length === 0);
  const clean = passed.map(({ file, form }) => `${sign('done', screen)} passed   ${name(file)}  ${colours.dim(form)}`);
  const blocks = [
    ...(clean.length === 0 ? [] : [clean.join('\n')]),
    ...artifacts.filter(({ findings }) => findings.length > 0).map((artifact) => renderArtifact(artifact, screen)),
  ];
  const notes = artifacts.reduce(
    (sum, { findings }) => sum + findings.filter(({ severity }) => severity === 'note').length,
    0,
  );
  const refused = byRules + surfaces.filter(isRefused).length;
  const words = [
    refused > 0 ? `${refused} refused` : 'nothing refused',
    ...(warned > 0 ? [`${warned} ${warned === 1 ? 'warning' : 'warnings'}`] : []),
    ...(notes > 0 ? [`${notes} ${notes === 1 ? 'note' : 'notes'}`] : []),
  ].join(', ');
  const mark: Mark = refused > 0 ? 'refused' : warned > 0 ? 'warning' : 'done';
  const sum = `${sign(mark, screen)} ${artifacts.length} ${artifacts.length === 1 ? 'artifact' : 'artifacts'} verified: ${words}`;
  const compared = surfaces.map((check) => renderSurfaceCheck(check, screen));
  const all = compared.length === 0 ? blocks : [...blocks, compared.join('\n')];
  return [...all, sarif === null ? sum : `${sum}\n  findings as SARIF 2.1.0 in ${displayPath(sarif)}`].join('\n\n');
}

function renderSurfaceCheck(check: SurfaceCheck, screen: Screen): string {
  const isSmall = check.compared?.judgement.isUnderstated === true;
  const isOpen = check.whyNot !== null || check.compared?.judgement.step === 'unknown';
  const mark: Mark = isRefused(check) ? 'refused' : isSmall || isOpen ? 'warning' : 'done';
  return beside(`${sign(mark, screen)} surface  `, cleanText(summaryText(summariseCheck(check))), screen);
}

/** One remedy for all findings of a rule, below them: the reader has it once. */
function renderArtifact({ file, form, findings }: VerifiedArtifact, screen: Screen): string {
  const { colours } = screen;
  const groups = new Map<string, Finding[]>();
  for (const severity of order)
    for (const finding of findings.filter((finding) => finding.severity === severity)) {
      const key = `${severity} ${finding.rule} ${finding.fix} ${finding.excepted}`;
      groups.set(key, [...(groups.get(key) ?? []), finding]);
    }
  const own = path.basename(file);
  const lines = [...groups.values()].flatMap((group) => renderGroup(group, own, screen));
  return [`${colours.bold(cleanText(path.basename(file)))}  ${colours.dim(form)}`, ...lines].join('\n');
}

const shownPerRule = 6;
const indent = ' '.repeat(13);

/** @param own name of the artifact, which needs no path of its own when it is a single file. */
function renderGroup(group: readonly Finding[], own: string, screen: Screen): string[] {
  const [first] = group;
  if (first === undefined) return [];
  const { colours } = screen;
  const [mark, word] = marks[first.severity];
  const text = ({ path: inside, message }: Finding) =>
    `${inside === null || inside === own ? '' : `${cleanText(inside)}: `}${cleanText(message)}`;
  const rest = group.length - shownPerRule;
  return [
    beside(`  ${sign(mark, screen)} ${word}  `, `${text(first)} ${colours.dim(`(${first.rule})`)}`, screen),
    ...group.slice(1, shownPerRule).map((finding) => beside(indent, text(finding), screen)),
    ...(rest > 0 ? [`${indent}${colours.dim(`and ${rest} more; --json has them all`)}`] : []),
    beside(
      indent,
      colours.dim(first.excepted === null ? cleanText(first.fix) : `accepted: ${cleanText(first.excepted)}`),
      screen,
    ),
  ];
}

/** The list of rules, by theme. */
export function renderRules(rules: readonly Rule[], { colours }: Screen): string {
  const width = Math.max(...rules.map(({ id }) => id.slice(id.indexOf('/') + 1).length));
  const themes = new Map<string, Rule[]>();
  for (const rule of rules) themes.set(themeOf(rule), [...(themes.get(themeOf(rule)) ?? []), rule]);
  const blocks = [...themes].map(([theme, list]) =>
    [
      colours.bold(`${theme}/`),
      ...list.map(
        ({ id, severity, what }) =>
          `  ${id.slice(theme.length + 1).padEnd(width)}  ${severity.padEnd(6)}  ${colours.dim(what)}`,
      ),
    ].join('\n'),
  );
  return [...blocks, `${rules.length} rules; one in full with: bevelstone verify --explain ${rules[0]?.id ?? ''}`].join(
    '\n\n',
  );
}

/** The `result` of `verify --rules --json`. */
export function rulesJson(rules: readonly Rule[]): unknown {
  return {
    rules: rules.map((rule) => ({ id: rule.id, theme: themeOf(rule), severity: rule.severity, what: rule.what })),
  };
}

function themeOf({ id }: Rule): string {
  return id.slice(0, id.indexOf('/'));
}

/** One rule in full. */
export function renderRule({ id, severity, what, why, fix, example }: Rule, screen: Screen): string {
  const lines = [
    ['what', what],
    ['why', why],
    ['fix', fix],
    ['example', example],
    ['change', `packages.NAME.verify.rules: { ${id}: refuse | warn | note | off }`],
    ['except', `packages.NAME.verify.exceptions: [{ rule: ${id}, path: GLOB, reason: … }]`],
  ];
  return [
    `${screen.colours.bold(id)}  ${severity}`,
    ...lines.map(([label = '', text = '']) => beside(`  ${label.padEnd(8)} `, text, screen)),
  ].join('\n');
}

/** Pages one below the other, each under the name of its file when there are several. */
export function renderPages(
  pages: readonly { readonly file: string; readonly text: string }[],
  screen: Screen,
): string {
  return pages
    .map(({ file, text }) => {
      const head = pages.length > 1 ? `${screen.colours.dim(`· ${cleanText(path.basename(file))}`)}\n` : '';
      return `${head}${cleanLines(text).trimEnd()}`;
    })
    .join('\n\n\n');
}
