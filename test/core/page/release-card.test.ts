import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { renderReleaseCard, type ShownCard, type ShownCardRelease } from '../../../src/core/page/release-card.ts';

const artifact = (file: string, sizeBytes: number, files: readonly [string, number][]) => ({
  file,
  form: 'npm-tarball' as const,
  sizeBytes,
  sha256: 'a'.repeat(64),
  files: files.map(([path, size]) => ({ path, sizeBytes: size })),
});

const release: ShownCardRelease = {
  package: 'tidemark',
  version: '1.4.0',
  last: '1.3.2',
  weight: 'minor',
  reasons: ['2 features', '1 fix'],
  surface: ['tidemark-1.4.0.tgz: 1 addition since 1.3.2'],
  intro: 'The **light vessel** is back.',
  sections: [
    { title: 'Added', items: [{ summary: 'the light vessel', scope: 'net', commit: 'c', breaking: null, issues: [] }] },
  ],
  artifacts: [
    artifact('tidemark-1.4.0.tgz', 4000, [
      ['package/dist/node.js', 300],
      ['package/dist/browser.js', 100],
      ['package/README.md', 50],
    ]),
    artifact('tidemark-1.4.0.tar.gz', 1000, []),
  ],
  findings: ['warning in tidemark-1.4.0.tgz: no repository is named (metadata/no-repository)'],
  rehearsed: ['npm 11: installed'],
  sboms: ['tidemark-1.4.0.spdx.json: 3 components, 12 files'],
  deliveries: [
    {
      destination: 'office',
      artifact: 'tidemark-1.4.0.tgz',
      state: 'delivered',
      address: 'https://packages.fenmarsh.example/t.tgz',
    },
  ],
  lines: [{ destination: 'office', client: 'npm', into: 'a shell', text: 'npm install tidemark@1.4.0' }],
};

const card: ShownCard = {
  supplier: 'Fenmarsh Tide Office',
  state: 'Released',
  date: '2026-11-23',
  commit: 'f172d041b828aa',
  stream: 'stable',
  releases: [release],
};

const shown = (more: Partial<ShownCardRelease>) => renderReleaseCard({ ...card, releases: [{ ...release, ...more }] });

describe('the release card', () => {
  it('tells all of a release in one page', () => {
    const html = renderReleaseCard(card);

    for (const text of [
      '1.3.2',
      '1.4.0',
      '2 features; 1 fix',
      '<strong>light vessel</strong>',
      'the light vessel (net)',
      'no repository is named',
      'npm 11: installed',
      '3 components',
      'packages.fenmarsh.example',
      'npm install tidemark@1.4.0',
    ])
      expect(html).toContain(text);
    expect(html).toContain('3 files, unpacked: dist/ 400 B, top 50 B');
  });

  it('draws sizes in proportion: against the largest artifact, and of what is inside', () => {
    const [first = '', second = ''] = renderReleaseCard(card).match(/<svg.*?<\/svg>/g) ?? [];
    const widths = (svg: string) => [...svg.matchAll(/width="([\d.]+)"/g)].map(([, width]) => Number(width));

    const [dist = 0, top = 0] = widths(first);
    expect(dist / top).toBeGreaterThan(7);
    expect(dist + top).toBeLessThanOrEqual(600);
    expect(widths(second)).toEqual([150]);
  });

  it('puts many small folders together', () => {
    const files = Array.from({ length: 12 }, (_, index): [string, number] => [
      `package/part${index}/a.js`,
      100 - index,
    ]);

    const html = shown({ artifacts: [artifact('a.tgz', 100, files)] });

    expect(html).toContain('other folders');
    expect(html.match(/<rect/g)).toHaveLength(5);
  });

  it('is read aloud and printed without a picture: every table has headings, every picture words', () => {
    const html = renderReleaseCard(card);

    expect(html.match(/<table/g)?.length).toBe(html.match(/<thead/g)?.length);
    expect(html.match(/<svg/g)?.length).toBe(html.match(/role="img" aria-label="[^"]+"/g)?.length);
    expect(html).toContain('lang="en"');
    expect(html).toContain('@media print');
  });

  it.each([
    ['sections', { sections: [] }, 'Nothing that needs a word'],
    ['a last version', { last: null }, '<td>first</td>'],
  ])('says so where there are no %s', (_, more, text) => {
    expect(shown(more)).toContain(text);
  });

  it('lets nothing from outside become markup, or load anything', () => {
    fc.assert(
      fc.property(fc.string(), (noise) => {
        const evil = `${noise}<script>alert(1)</script>"><img src=x onerror=y>`;
        const html = renderReleaseCard({
          ...card,
          supplier: evil,
          releases: [
            {
              ...release,
              package: evil,
              reasons: [evil],
              intro: `${evil} ![x](https://evil.example/x.png) [y](javascript:alert(1))`,
              sections: [
                { title: evil, items: [{ summary: evil, scope: evil, commit: 'c', breaking: evil, issues: [] }] },
              ],
              artifacts: [artifact(evil, 10, [[`a/${evil}`, 5]])],
              deliveries: [{ destination: evil, artifact: evil, state: evil, address: evil }],
              lines: [{ destination: evil, client: evil, into: evil, text: evil }],
            },
          ],
        });
        expect(html).not.toMatch(/<script|<img|href="javascript|onerror=y>[^<]*</);
      }),
      { numRuns: 50 },
    );
  });
});
