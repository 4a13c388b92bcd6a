import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { InputConfig } from '../../../src/core/config/config.ts';
import { editInput } from '../../../src/core/config/edit-input.ts';
import { inputFileName, publicAddresses } from '../../../src/core/input/input-address.ts';
import { patchFiles } from '../../../src/core/input/patch-files.ts';
import { headerOf, messageOf, newPatchName, readMessage, saysTheSame } from '../../../src/core/input/patch-message.ts';
import { patchSubject, splitPatch } from '../../../src/core/input/patch-text.ts';

const changes = 'diff --git a/x b/x\n--- a/x\n+++ b/x\n@@ -1 +1 @@\n-a\n+b\n';

describe('a patch', () => {
  it.each([
    ['Subject: [PATCH 1/2] Say second\n\nWhy.\n---\n x | 2 +-\n\n', 'Say second', 'Why.'],
    ['From: A <a@b>\nSubject: a long\n one\n\n', 'a long one', ''],
    ['Say second\n\nBecause it is so.\n', 'Say second', 'Because it is so.'],
    ['Index: nothing\n', null, ''],
    ['', null, ''],
  ])('with the header %j says %j', (header, subject, body) => {
    const { header: read, changes: rest } = splitPatch(header.startsWith('Index') ? changes : header + changes);

    expect(rest).toContain('+b');
    expect(patchSubject(read)).toBe(subject);
    if (body !== '') expect(messageOf(read, '0001-x.patch')).toContain(body);
  });

  it('is taken apart and put together again whatever stands before its changes', () => {
    fc.assert(
      fc.property(
        fc.string().filter((text) => splitPatch(`${text}\n${changes}`).changes === changes),
        (text) => {
          const { header, changes: rest } = splitPatch(`${text}\n${changes}`);
          expect(header + rest).toBe(`${text}\n${changes}`);
        },
      ),
    );
  });

  it('has a commit message that names its file and still says what its header says', () => {
    for (const header of ['Subject: [PATCH] Say second\n\nWhy.\n\n', 'Say second\n\nWhy.\n', ''])
      for (const file of ['0001-a.patch', 'fix.diff']) {
        const message = messageOf(header, file);
        expect(readMessage(message).file).toBe(file);
        expect(saysTheSame(message, header, file)).toBe(true);
        expect(
          saysTheSame(
            message.replace('Say', 'Tell').replace('fix', 'repair').replace('0001-a\n', 'other\n'),
            header,
            file,
          ),
        ).toBe(!/Say|fix|0001-a\n/.test(message));
      }
  });

  it('keeps the other fields of its header when what it says is changed', () => {
    const before = 'From: A <a@b>\nOrigin: the office\nSubject: old\n\nold body\n';

    expect(headerOf({ text: 'new\n\nnew body', author: 'B <b@c>', before })).toBe(
      'From: A <a@b>\nOrigin: the office\nSubject: new\n\nnew body\n\n',
    );
    expect(headerOf({ text: 'new', author: 'B <b@c>', before: null })).toBe('From: B <b@c>\nSubject: new\n\n');
  });
});

describe('a new patch', () => {
  it.each([
    ['Add the quay', null, [], '0001-add-the-quay.patch'],
    ['Add the quay', '0002-b.patch', ['0001-a.patch', '0002-b.patch'], '0003-add-the-quay.patch'],
    ['Between', '0001-a.patch', ['0001-a.patch', '0002-b.patch'], '0001a-between.patch'],
    ['First', null, ['0001-a.patch'], '0000-first.patch'],
    ['§§', '00012-a.patch', ['00012-a.patch'], '00013-change.patch'],
  ])('%j behind %j of %j is %s', (subject, before, taken, name) => {
    expect(newPatchName(subject, before, taken)).toBe(name);
  });

  it('comes in the order of names right behind the one before it', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 40 }), fc.nat(), fc.string(), (count, at, subject) => {
        const taken = Array.from({ length: count }, (_, index) => `${String(index + 1).padStart(4, '0')}-p.patch`);
        const before = taken[at % count] ?? null;
        const name = newPatchName(subject, before, taken);
        const sorted = [...taken, name].sort();
        expect(sorted[sorted.indexOf(name) - 1]).toBe(before);
      }),
    );
  });
});

const input = (more: Partial<InputConfig> = {}): InputConfig => ({
  name: 'constants',
  version: '2.4',
  from: ['https://files.saltmarsh.example/get?file=constants-{version}.tar.gz'],
  sha256: null,
  into: 'vendor/constants',
  'drop-top': false,
  signature: null,
  licence: null,
  'also-trusts': [],
  ...more,
});

describe('an input', () => {
  it.each([
    ['https://a.example/constants-{version}.tar.gz', 'constants-2.4.tar.gz'],
    ['https://a.example/download/?id=4', 'constants'],
    ['../upstream/c.zip', 'c.zip'],
    ['env:PLACE/c d.tar', 'c-d.tar'],
    ['..', 'constants'],
  ])('from %s is a file %s', (from, name) => {
    expect(inputFileName(input({ from: [from] }))).toBe(name);
  });

  it('has the addresses that everyone has', () => {
    const from = ['env:PLACE/c', '../c', 'https://a.example/c-{version}'];
    expect(publicAddresses(input({ from }))).toEqual(['https://a.example/c-2.4']);
  });

  it('gets the patches that name it, each once, those of one glob by their names', () => {
    const two = { inputs: [input(), input({ name: 'other' })] };
    const files = ['p/2.patch', 'p/10.patch', 'p/1.patch', 'q/1.patch', 'first.patch'];
    const patches = [
      { files: 'first.patch', input: 'constants' },
      { files: './p/*.patch', input: 'constants' },
      { files: 'q/*.patch', input: 'other' },
      { files: 'gone.patch', input: 'constants' },
    ];

    expect(patchFiles({ ...two, patches }, input(), files)).toEqual({
      found: ['first.patch', 'p/1.patch', 'p/10.patch', 'p/2.patch'],
      missing: ['gone.patch'],
    });
  });
});

describe('the checksum of an input in bevelstone.yaml', () => {
  const sha256 = 'b'.repeat(64);
  const edit = { package: 'bay', index: 0, sha256, version: '2.5' };
  const head = 'schema: 1\npackages:\n  bay:\n    ecosystem: plain   # kept\n    inputs:\n';

  it.each([
    ['in a flow mapping', '      - { from: "x-{version}", into: v, version: "2.4", sha256: SUM }   # kept too\n'],
    ['in a block', '      - from: "x-{version}"\n        into: v\n        version: "2.4"\n        sha256: SUM\n'],
    [
      'in other quotes',
      "      - from: 'x-{version}'\n        into: v\n        version: '2.4'\n        sha256: 'SUM'\n",
    ],
    ['not there yet, in a flow mapping', '      - { from: "x-{version}", into: v }\n'],
    [
      'not there yet, in a block with a list',
      '      -   from:\n          - "x-{version}"\n          - y\n          into: v\n',
    ],
  ])('is written %s, and nothing else changes', (_, text) => {
    const before = head + text.replace('SUM', 'a'.repeat(64));
    const after = editInput(before, edit) ?? '';

    expect(after).toContain(sha256);
    expect(after).toContain('"2.5"');
    const rest = (all: string) =>
      all
        .replace(/(?:, )?\b(?:sha256|version): ["']?(?:[ab]{64}|2\.\d)["']?\s*/g, '')
        .replace(/\s+/g, ' ')
        .replace(' }', '}');
    expect(rest(after)).toBe(rest(before));
  });

  it.each([
    [
      'behind an alias',
      `${head.replace('    inputs:\n', '')}    inputs: &all\n      - { from: x, into: v }\n  sea: { ecosystem: plain, inputs: *all }\n`,
      'sea',
    ],
    ['of a package that is not there', `${head}      - { from: x, into: v }\n`, 'gone'],
  ])('is left to people %s', (_, text, name) => {
    expect(editInput(text, { ...edit, package: name, version: null })).toBeNull();
  });
});
