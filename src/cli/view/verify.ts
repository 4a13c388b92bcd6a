import path from 'node:path';
import type { Finding, Rule } from '../../core/rule/rule.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Verification } from '../../flow/verify.ts';
import { type Mark, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

const marks: Readonly<Record<Finding['severity'], readonly [Mark, string]>> = {
  refuse: ['refused', 'refused'],
  warn: ['warning', 'warning'],
  note: ['nothing', 'note   '],
};

/** Findings by artifact, each with its path and what to do; the sum is the last line. */
export function renderVerification({ artifacts, refused, warned }: Verification, screen: Screen): string {
  const { colours } = screen;
  const name = (file: string) => colours.bold(cleanText(path.basename(file)));
  const passed = artifacts.filter(({ findings }) => findings.length === 0);
  const blocks = [
    ...(passed.length === 0
      ? []
      : [
          passed
            .map(({ file, form }) => `${sign('done', screen)} passed   ${name(file)}  ${colours.dim(form)}`)
            .join('\n'),
        ]),
    ...artifacts
      .filter(({ findings }) => findings.length > 0)
      .map(({ file, form, findings }) =>
        [`${name(file)}  ${colours.dim(form)}`, ...findings.map((finding) => renderFinding(finding, screen))].join(
          '\n',
        ),
      ),
  ];
  const words =
    refused > 0
      ? `${refused} refused, ${warned} to look at`
      : warned > 0
        ? `nothing refused, ${warned} to look at`
        : 'nothing to object to';
  const sum = `${sign(refused > 0 ? 'refused' : 'done', screen)} ${artifacts.length} ${artifacts.length === 1 ? 'artifact' : 'artifacts'} verified: ${words}`;
  return [...blocks, sum].join('\n\n');
}

function renderFinding({ severity, rule, path: inside, message, fix }: Finding, screen: Screen): string {
  const [mark, word] = marks[severity];
  const where = inside === null ? '' : `${cleanText(inside)}: `;
  return `  ${sign(mark, screen)} ${word}  ${where}${cleanText(message)} ${screen.colours.dim(`(${rule})`)}\n             ${cleanText(fix)}`;
}

/** The `result` of `verify --json`. */
export function verificationJson(verification: Verification): unknown {
  return verification;
}

/** The list of rules, by theme. */
export function renderRules(rules: readonly Rule[], screen: Screen): string {
  const rows = rules.map(({ id, severity, what }) => [id, severity, what]);
  return renderTable([{ title: 'rule' }, { title: 'severity' }, { title: 'what' }], rows, screen);
}

/** The `result` of `verify --rules --json`. */
export function rulesJson(rules: readonly Rule[]): unknown {
  return { rules: rules.map(({ id, severity, what }) => ({ id, theme: id.split('/')[0], severity, what })) };
}

/** One rule in full. */
export function renderRule({ id, severity, what, why, fix, example }: Rule, screen: Screen): string {
  const lines = [
    ['what', what],
    ['why', why],
    ['fix', fix],
    ['example', example],
    ['change', `packages.NAME.verify.rules: { ${id}: refuse | warn | note | off }`],
  ];
  return [
    `${screen.colours.bold(id)}  ${severity}`,
    ...lines.map(([label = '', text]) => `  ${label.padEnd(8)} ${text}`),
  ].join('\n');
}
