import { describe, expect, it } from 'vitest';
import { Amendments, readMeaning } from '../../../src/core/history/meaning.ts';
import { parseHeader, parseMessage } from '../../../src/core/history/message-grammar.ts';
import { parseReferences } from '../../../src/core/history/reference.ts';
import { parseSquashBody } from '../../../src/core/history/squash-body.ts';
import { compilePattern } from '../../../src/core/text/linear-pattern.ts';
import type { Weight } from '../../../src/core/version/weight.ts';

const rules = {
  weights: { breaking: 'major', feat: 'minor', fix: 'patch' } as Record<string, Weight>,
  patterns: [{ match: compilePattern('^\\[new\\]'), kind: 'feat' }],
  unmarkedWeight: 'none' as Weight,
};
const commit = (message: string, id = 'a'.repeat(40)) => ({
  id,
  parents: [],
  author: { name: 'Boat', email: 'boat@fenmarsh.example' },
  message,
  cut: false,
  paths: [],
});

describe('a header', () => {
  it.each([
    ['feat: x', { kind: 'feat', scope: null, breaking: false, summary: 'x' }],
    ['FIX(tides)!: x y', { kind: 'fix', scope: 'tides', breaking: true, summary: 'x y' }],
    ['fix:x', null],
    ['fix (tides): x', null],
    ['fix(): x', null],
    ['see https://fenmarsh.example: no', null],
    ['just words', null],
  ])('%j', (line, header) => {
    expect(parseHeader(line)).toEqual(header);
  });
});

describe('footers', () => {
  it('hold breaking notes over several paragraphs, to the next footer', () => {
    const { footers, body } = parseMessage(
      'fix: x\n\nSome body: with colon inside.\n\nBREAKING CHANGE: one\ntwo\n\nthree\nRefs: #7\nReviewed-by: Boat',
    );

    expect(footers).toEqual([
      { token: 'BREAKING CHANGE', value: 'one\ntwo\n\nthree' },
      { token: 'Refs', value: '#7' },
      { token: 'Reviewed-by', value: 'Boat' },
    ]);
    expect(body.join('\n').trim()).toBe('Some body: with colon inside.');
  });

  it('give back to the body what follows an ordinary one', () => {
    expect(parseMessage('fix: x\n\nNote: this\n\nis prose').body.join('').trim()).toBe('is prose');
  });

  it('are not found in the middle of a paragraph', () => {
    expect(parseMessage('fix: x\n\nwe saw\nBREAKING CHANGE: no').footers).toEqual([]);
  });
});

describe('what a commit means', () => {
  it.each([
    ['feat: x', 'minor', 'conventional'],
    ['feat!: x', 'major', 'conventional'],
    ['docs: x', 'none', 'conventional'],
    ['breaking: x', 'none', 'conventional'],
    ['chore: x\n\nBREAKING CHANGE: y', 'major', 'conventional'],
    ['anything\n\nBREAKING CHANGE: y', 'major', 'unmarked'],
    ['[new] harbour view', 'minor', 'pattern'],
    ['anything', 'none', 'unmarked'],
    ['feat: x\n\n* fix: y\n* chore!: z', 'major', 'conventional'],
    ['fix: x\n\n* fix: y\n* hello: z', 'patch', 'conventional'],
  ])('%j weighs %s, %s', (message, weight, how) => {
    expect(readMeaning(commit(message), rules, null)).toMatchObject({ weight, how });
  });

  it.each([
    [
      { kind: 'fix', summary: 'Round' },
      { how: 'amended', weight: 'patch', items: [{ kind: 'fix', summary: 'Round', breaking: null }] },
    ],
    [
      { breaking: 'other units' },
      { weight: 'major', items: [{ kind: 'feat', summary: 'x', breaking: 'other units' }] },
    ],
    [{ ignore: true }, { how: 'ignored', weight: 'none', references: { reverts: [] } }],
    [
      {
        changes: [
          { kind: 'fix', summary: 'a' },
          { kind: 'feat', summary: 'b' },
        ],
      },
      { weight: 'minor', items: [{ summary: 'a' }, { summary: 'b' }] },
    ],
  ])('amended by %j', (amendment, meaning) => {
    const message = 'feat: x\n\nThis reverts commit abcdef1.';
    expect(readMeaning(commit(message), rules, amendment)).toMatchObject(meaning);
  });

  it('is amended by an id that names one commit only', () => {
    const amendments = new Amendments({ '3f2c': { kind: 'fix' }, '9999': { ignore: true } });

    expect(amendments.of(`3f2c${'0'.repeat(36)}`)).toEqual({ kind: 'fix' });
    expect(amendments.unknown()).toEqual(['9999']);
    expect(() => amendments.of(`3f2c${'1'.repeat(36)}`)).toThrow(expect.objectContaining({ code: 'AMEND_AMBIGUOUS' }));
  });
});

describe('a squashed body', () => {
  const known = new Set(['feat', 'fix']);
  it.each([
    [
      ['* feat: a', '- fix: b', 'prose'],
      ['a', 'b'],
    ],
    [
      [
        'Squashed commit of the following:',
        '',
        'commit 1234567',
        'Author: Boat',
        '',
        '    feat: a',
        '',
        '    fix: not a subject',
        'commit 7654321',
        '',
        '    docs: b',
      ],
      ['a', 'b'],
    ],
    [['- fix: only one'], []],
    [['- fix: a', '- see: b'], []],
    [['  - fix: a', '  - fix: b'], []],
  ])('%#', (body, summaries) => {
    expect(parseSquashBody(body, known).map(({ summary }) => summary)).toEqual(summaries);
  });
});

describe('references', () => {
  const read = (text: string) => parseReferences(text, parseMessage(text));

  it('to other commits', () => {
    const merge = read('Revert "Merge"\n\nThis reverts commit ABCDEF1, reversing\nchanges made to 1234567.');
    const refs = read('revert: let us forget\n\nRefs: 676104e, a215868');
    const picked = read(`fix: x\n\n(cherry picked from commit ${'b'.repeat(40)})`);

    expect(merge.reverts).toEqual([{ commit: 'abcdef1', keeps: '1234567' }]);
    expect(refs.reverts.map(({ commit }) => commit)).toEqual(['676104e', 'a215868']);
    expect(picked.pickedFrom).toEqual(['b'.repeat(40)]);
  });

  it('to issues and people', () => {
    const { issues, coAuthors, releases } = read(
      'feat: x (#41)\n\nSee #7, not a#8.\n\nCloses: #9\nCo-authored-by: Boat <boat@fenmarsh.example>\nBevelstone-Release: tidemark@1.0.0',
    );

    expect([...issues].sort()).toEqual(['41', '7', '9']);
    expect(coAuthors).toEqual([{ name: 'Boat', email: 'boat@fenmarsh.example' }]);
    expect(releases).toEqual(['tidemark@1.0.0']);
  });
});
