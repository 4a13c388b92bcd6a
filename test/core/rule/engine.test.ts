import { readFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { judgeLicence } from '../../../src/core/licence/policy.ts';
import { ruleIds } from '../../../src/core/name/rule.ts';
import type { RuleSettings } from '../../../src/core/rule/rule.ts';
import { checkArtifact, rules } from '../../../src/core/rule/rules.ts';
import { formatSarif } from '../../../src/core/rule/sarif.ts';
import { npmArtifact, ruleSettings } from '../../builders/artifact.ts';

const check = (settings: Partial<RuleSettings>) =>
  checkArtifact(npmArtifact({ license: 'Apache 2' }, { 'package/LICENSE': 'text' }), ruleSettings(settings));

it('lets the configuration change how much a rule matters', () => {
  expect(check({}).map(({ rule, severity }) => [rule, severity])).toEqual([['metadata/licence-invalid', 'refuse']]);
  expect(check({ severities: { 'metadata/licence-invalid': 'warn' } })[0]?.severity).toBe('warn');
  expect(check({ severities: { 'metadata/licence-invalid': 'off' } })).toEqual([]);
});

it('lets what has a reason pass as a note, and shows the reason', () => {
  const exception = { rule: 'metadata/licence-invalid', path: 'package.json', reason: 'the harbour asked for it' };

  expect(check({ exceptions: [exception] })).toMatchObject([
    { severity: 'note', excepted: 'the harbour asked for it' },
  ]);
  expect(check({ exceptions: [{ ...exception, path: 'other.json' }] })[0]?.severity).toBe('refuse');
  expect(check({ exceptions: [{ ...exception, rule: 'contents/secret' }] })[0]?.excepted).toBeNull();
});

it('says of every rule what, why and how to fix, in the order of the list', () => {
  expect(Object.keys(rules)).toEqual([...ruleIds]);
  for (const [id, rule] of Object.entries(rules)) {
    expect(rule.id).toBe(id);
    for (const text of [rule.what, rule.why, rule.fix, rule.example]) expect(text.length).toBeGreaterThan(8);
  }
});

it('writes findings as SARIF 2.1.0, entries as nested artifacts', () => {
  const excepted = check({ exceptions: [{ rule: 'metadata/licence-invalid', path: null, reason: 'asked for' }] });
  const log = formatSarif({
    programVersion: '1.0.0',
    rules: Object.values(rules),
    artifacts: [{ file: 'out/a b.tgz', findings: [...check({}), ...excepted] }],
    // biome-ignore lint/suspicious/noExplicitAny: an open format, looked into field by field
  }) as any;
  const [run] = log.runs;

  expect(log.version).toBe('2.1.0');
  expect(run.artifacts).toEqual([
    { location: { uri: 'out/a%20b.tgz' }, roles: ['analysisTarget'] },
    { location: { uri: '/package/package.json' }, parentIndex: 0 },
  ]);
  expect(run.tool.driver.rules[run.results[0].ruleIndex].id).toBe('metadata/licence-invalid');
  expect(run.results[0]).toMatchObject({
    level: 'error',
    locations: [{ physicalLocation: { artifactLocation: { index: 1 } } }],
  });
  expect(run.results[1]).toMatchObject({ level: 'note', suppressions: [{ justification: 'asked for' }] });
});

describe('a licence policy', () => {
  const policy = { allow: ['MIT', 'Apache-2.0', 'BSD-*'], refuse: ['AGPL-*'], ask: ['MPL-2.0'] };

  it.each([
    ['MIT', 'allow'],
    ['BSD-3-Clause', 'allow'],
    ['AGPL-3.0-only', 'refuse'],
    ['MIT OR AGPL-3.0-only', 'allow'],
    ['MIT AND AGPL-3.0-only', 'refuse'],
    ['(MIT AND BSD-2-Clause) OR GPL-3.0-only', 'allow'],
    ['MIT AND MPL-2.0', 'ask'],
    ['ISC', 'ask'],
    ['some words', 'ask'],
    [null, 'unknown'],
  ])('judges %s as %s', (licence, verdict) => {
    expect(judgeLicence(licence, policy)).toBe(verdict);
  });

  it('allows unlisted licences when no licence is listed as allowed', () => {
    expect(judgeLicence('ISC', { allow: [], refuse: ['AGPL-*'], ask: [] })).toBe('allow');
  });
});

it('is listed in the docs, rule by rule', () => {
  const page = readFileSync(path.join(import.meta.dirname, '../../../docs/rules.md'), 'utf8');
  const rows = [...page.matchAll(/^\| `([a-z/-]+)` \| (\w+) \| (.+) \|$/gm)].map((match) => match.slice(1));

  expect(rows).toEqual(
    Object.values(rules).map(({ id, severity, what }) => [id, severity, what.replaceAll('|', '\\|')]),
  );
});
