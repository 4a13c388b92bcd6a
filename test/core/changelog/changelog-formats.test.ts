import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { decodeChangelog, extendChangelog } from '../../../src/core/changelog/extend-changelog.ts';
import type { ReleaseNotes } from '../../../src/core/changelog/section.ts';

// Each sample is a changelog in a format that is used in practice, beside the exact file that a release of 1.4.0 makes of it.
const folder = path.join(import.meta.dirname, 'samples');
const item = (summary: string, commit: string) => ({ summary, scope: null, commit, breaking: null, issues: [] });
const notes: ReleaseNotes & { version: string } = {
  package: 'tidemark',
  version: '1.4.0',
  range: '',
  date: '2026-11-28',
  intro: null,
  sections: [
    { title: 'Added', items: [item('Harbour view of `tide_table`', '3f2c9e1aaaa')] },
    { title: 'Fixed', items: [item('Stations *without* a name', '77ab012bbbb')] },
  ],
  contributors: [],
};
const debian = {
  version: '1.4.0-1',
  maintainer: 'Harbour desk <harbour@fenmarsh.example>',
  at: new Date('2026-11-28T12:00:00Z'),
};
const links = { commit: null, issue: null };

function extend(name: string): { before: string; after: ReturnType<typeof extendChangelog>; again: string } {
  const file = name.endsWith('.changelog') ? 'debian/changelog' : name;
  const before = decodeChangelog(readFileSync(path.join(folder, name)), name);
  const after = extendChangelog({ text: before, file, notes, links, debian });
  const again = extendChangelog({ text: after.text, file, notes, links, debian }).text;
  return { before, after, again };
}

describe('a changelog', () => {
  const names = readdirSync(folder).filter((name) => name.includes('.before.'));

  it.each(names)('%s gets a section in its own manner, once', (name) => {
    const { after, again } = extend(name);
    const file = path.join(folder, name.replace('.before.', '.after.'));

    expect(after.text).toBe(readFileSync(file, 'utf8'));
    expect(again).toBe(after.text);
  });
});

describe('a release', () => {
  it.each([
    ['', '', 'Changes'],
    ['## [1.4.0] by hand\n', '## [1.4.0] by hand\n', 'already-there'],
    ['## 1.4\n\n- by hand\n', '## 1.4\n\n- by hand\n', 'already-there'],
  ])('is not added to %j twice', (before, after, change) => {
    const extended = extendChangelog({ text: before, file: 'CHANGES.md', notes, links, debian });

    if (change === 'already-there') expect(extended).toEqual({ text: after, change });
    else expect(extended.text).toMatch(/^## 1\.4\.0, 2026-11-28\n/);
  });

  it.each([
    ['# C\n\n## 2.0.0\n\n- b\n\n## 1.3.2\n\n- a\n', /- b\n\n## 1\.4\.0\n\n- x\n\n## 1\.3\.2/],
    ['# C\n\n## 1.4.0-rc.1\n\n- b\n\n## 1.3.2\n\n- a\n', /# C\n\n## 1\.4\.0\n\n- x\n\n## 1\.4\.0-rc\.1/],
  ])('of a line goes where its version belongs in %j', (before, after) => {
    const own = { ...notes, sections: [{ title: 'Fixed', items: [item('x', '')] }] };

    expect(extendChangelog({ text: before, file: 'C.md', notes: own, links, debian }).text).toMatch(after);
  });

  it('keeps everything else of the file', () => {
    const line = fc.constantFrom(
      '',
      '# Changes',
      '## 1.3.2',
      '## 1.3.1',
      '## 0.9',
      'text',
      '- item',
      '```',
      '### Fixed',
      '  more',
    );
    fc.assert(
      fc.property(fc.array(line, { maxLength: 20 }), (lines) => {
        const before = `${lines.join('\n')}\n`;
        const { text: after } = extendChangelog({ text: before, file: 'C.md', notes, links, debian });
        const rest = after.split('\n').filter((own) => own.trim() !== '');
        for (const own of lines.filter((each) => each.trim() !== '')) {
          const at = rest.indexOf(own);
          expect(at, own).toBeGreaterThanOrEqual(0);
          rest.splice(at, 1);
        }
      }),
    );
  });

  it('is added at once to a file with lines of any length', () => {
    const text = `# ${'a-'.repeat(200_000)}1.0.0\n\n${'1.'.repeat(200_000)}\n`;
    const { text: after } = extendChangelog({ text, file: 'C.md', notes, links, debian });

    expect(after).toContain('## 1.4.0, 2026-11-28');
  });

  it.each([
    [new Uint8Array([0x23, 0xff, 0xfe]), 'not UTF-8'],
    [new Uint8Array([0x23, 0x00, 0x41, 0x00]), 'UTF-16'],
  ])('is refused for a file that is not text: %j %s', (bytes) => {
    expect(() => decodeChangelog(bytes, 'C.md')).toThrow(expect.objectContaining({ code: 'CHANGELOG_UNREADABLE' }));
  });
});
