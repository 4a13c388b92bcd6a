import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { renderMarkdownPage } from '../../src/core/page/markdown-page.ts';
import { renderPackagePage } from '../../src/core/page/registry-page.ts';
import { renderReleaseCard } from '../../src/core/page/release-card.ts';
import { surfacePage } from '../../src/core/page/surface-page.ts';
import { renderShelf } from '../../src/core/protocol/folder/shelf-page.ts';
import { bevelstone } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';

/** Runs where it is shown as HTML and something lets it. */
const run = "document.title='RAN'";
const elements = [
  'script',
  'svg',
  'img',
  'video',
  'audio',
  'iframe',
  'object',
  'embed',
  'math',
  'details',
  'body',
  'input',
  'form',
  'style',
  'link',
  'meta',
  'base',
  'template',
  'kbd',
  'a',
];
const handlers = ['onload', 'onerror', 'ontoggle', 'onfocus', 'onbegin', 'onanimationstart'];

/** Sixty ways to make a page run something. */
const payloads: readonly string[] = [
  `<script>${run}</script>`,
  `<kbd> <svg onload=${run}>`,
  `<svg><script>${run}</script></svg>`,
  `<svg><animate onbegin=${run} attributeName=x dur=1s>`,
  `<svg><a xlink:href="javascript:${run}"><text x=9 y=9>a</text></a></svg>`,
  `<math><mtext><table><mglyph><style><img src=x onerror=${run}></style></mglyph></table></mtext></math>`,
  `<noscript><p title="</noscript><img src=x onerror=${run}>"></noscript>`,
  `<textarea></textarea><img src=x onerror=${run}>`,
  `<!--><img src=x onerror=${run}>-->`,
  `<![CDATA[><img src=x onerror=${run}>]]>`,
  `<iframe srcdoc="<script>parent.document.title='RAN'</script>"></iframe>`,
  `<iframe src="javascript:parent.document.title='RAN'"></iframe>`,
  `<object data="javascript:${run}"></object>`,
  `<meta http-equiv="refresh" content="0;url=javascript:${run}">`,
  `<base href="javascript:/a/-${run}//">`,
  `<form action="javascript:${run}"><input autofocus onfocus=${run}></form>`,
  `<style>@import 'javascript:${run}';</style><style onload=${run}></style>`,
  `<details open ontoggle=${run}>x</details>`,
  `<video><source onerror=${run}></video>`,
  `<body onload=${run}>`,
  `[a](javascript:${run})`,
  `[a](JaVaScRiPt:${run})`,
  `[a](java\tscript:${run})`,
  `[a](&#106;avascript:${run})`,
  `[a](data:text/html,<script>${run}</script>)`,
  `[a](vbscript:x "onmouseover=${run}")`,
  `![a](x "onerror=${run}")`,
  `![a" onerror="${run}](x)`,
  `<javascript:${run}>`,
  `[a]: javascript:${run}\n[a]`,
  `\`\`\`html\n<script>${run}</script>\n\`\`\``,
  `\`<img src=x onerror=${run}>\``,
  `| a |\n|---|\n| <img src=x onerror=${run}> |`,
  `# <img src=x onerror=${run}>`,
  `> <svg/onload=${run}>`,
  `- <img/src=x/onerror=${run}>`,
  `&lt;script&gt;${run}&lt;/script&gt;`,
  `<scr<script>ipt>${run}</script>`,
  `</p></section></article><script>${run}</script>`,
  `"><script>${run}</script>`,
  `'><img src=x onerror=${run}>`,
  `<img src=\`x\` onerror=${run}>`,
  ...elements
    .slice(1, 13)
    .map((element, index) => `<${element} src=x ${handlers[index % handlers.length]}=${run} autofocus>x</${element}>`),
  ...handlers.map((handler) => `<b ${handler}=${run} style="animation:x 1s" tabindex=0>x</b>`),
];

/** Opens a page in a real browser, lets it run whatever it runs, and gives its title. */
async function titleOf(place: string): Promise<{ readonly title: string; readonly html: string }> {
  const { stdout } = await execa(
    'chromium',
    ['--headless', '--no-sandbox', '--disable-gpu', '--virtual-time-budget=2000', '--dump-dom', `file://${place}`],
    { stderr: 'ignore', env: { HOME: temporaryFolder() } },
  );
  return { title: /<title>(.*?)<\/title>/s.exec(stdout)?.[1] ?? '', html: stdout };
}

const release = (text: string) => ({
  package: text,
  version: '1.0.0',
  last: text,
  weight: text,
  reasons: [text],
  intro: text,
  sections: [
    { title: text, items: [{ summary: text, scope: text, breaking: text, commit: 'c', issues: [], authors: [] }] },
  ],
  artifacts: [{ file: text, form: text, sizeBytes: 1, sha256: text, files: [{ path: text, sizeBytes: 1 }] }],
  findings: [text],
  rehearsed: [text],
  surface: [text],
  sboms: [text],
  deliveries: [{ destination: text, artifact: text, state: text, address: text }],
  lines: [{ destination: text, client: text, into: text, text }],
});

const pages: readonly (readonly [string, string, (text: string) => string])[] = [
  [
    'the release card',
    'html',
    (text) =>
      renderReleaseCard({
        supplier: text,
        state: 'Released',
        date: text,
        commit: text,
        stream: text,
        releases: [release(text)],
      } as never),
  ],
  [
    'the page of a package',
    'html',
    (text) =>
      renderPackagePage({
        speaks: text,
        name: text,
        version: text,
        description: text,
        readme: text,
        pointers: [[text, text]],
        files: [{ version: text, file: text, digest: text, note: text }],
      }),
  ],
  ['the page of a folder', 'html', (text) => renderShelf(text, [{ folder: text, file: text, sha256: text }])],
  [
    'the page of a public surface',
    'html',
    (text) => {
      const place = { file: text, line: 1 };
      const name = { name: text, kind: text, signature: text, place };
      const difference = { ...name, entry: text, effect: 'breaking', why: text, old: text, new: text } as const;
      const surface = {
        artifact: text,
        entries: [{ entry: text, names: [name] }],
        notChecked: [{ entry: text, why: text }],
      };
      const differences = [{ ...difference, oldPlace: place, newPlace: place }];
      return surfacePage([
        { ...surface, comparison: null },
        { ...surface, comparison: { against: text, differences, step: 'major' } },
      ]);
    },
  ],
  ['what verify --page prints', 'txt', renderMarkdownPage],
];

it('there are sixty payloads, and each of them runs on a page that lets it', () => {
  expect(new Set(payloads).size).toBe(60);
});

const inBrowser = itWith('chromium');

describe('in a real browser', () => {
  inBrowser('a page that shows text as it is runs what it should not', async () => {
    const place = path.join(temporaryFolder(), 'open.html');
    writeFileSync(place, `<title>still</title>${payloads[0]}`);

    expect((await titleOf(place)).title).toBe('RAN');
  });

  inBrowser.each(pages)('%s runs none of them', async (_, ending, render) => {
    const place = path.join(temporaryFolder(), `page.${ending}`);
    // One page for all: what one of them opens could let another one run.
    writeFileSync(place, render(payloads.join('\n\n')));
    const { title } = await titleOf(place);
    expect(title).not.toBe('RAN');

    const policy = /<meta http-equiv="Content-Security-Policy"[^>]*>/;
    const bare = path.join(path.dirname(place), `bare.${ending}`);
    // Without its policy the page must hold as well.
    writeFileSync(bare, payloads.map((payload) => render(payload).replace(policy, '')).join('\n'));
    expect((await titleOf(bare)).title).not.toBe('RAN');
  });

  inBrowser('a release card that the program wrote runs nothing of notes/next.md', async () => {
    const w = await releaseWorkspace();
    mkdirSync(path.join(w.folder, 'soundings/notes'));
    w.commit('docs: notes', { 'soundings/notes/next.md': payloads.join('\n\n') });
    w.git('push', '--quiet');

    const made = await w.release(['--dry-run', '--card', '../card.html']);
    const { title, html } = await titleOf(path.join(w.top, 'card.html'));

    expect(made.error).toBeNull();
    expect(title).toContain('soundings');
    expect(html).toContain("default-src 'none'");
    expect(html).not.toMatch(/<(?:script|iframe|object|embed|img|video|form|base)\b/i);
  });
});

it.each(pages.filter(([, ending]) => ending === 'html'))(
  '%s carries a policy before anything else',
  (_, __, render) => {
    const page = render('tides');

    expect(page).toMatch(
      /<meta charset="utf-8">\s*<meta http-equiv="Content-Security-Policy" content="default-src 'none';[^"]*">/,
    );
  },
);

describe('text from outside on a terminal', () => {
  const hostile = 'high\u001b[31m\u001b]0;owned\u0007\u009b2J\u202etide';

  it('has no control characters in notes, survey, inspect and verify', async () => {
    const w = await releaseWorkspace();
    w.commit(`feat: ${hostile}`, {
      'soundings/depth.js': 'export const depth = 1;\n',
      'soundings/README.md': `# ${hostile}\n`,
    });
    await bevelstone(['build'], { cwd: w.folder, env: w.env });
    const built = 'bevelstone-out/soundings-0.1.0/soundings-0.1.0.tgz';
    const runs = [
      ['notes'],
      ['notes', '--format', 'text'],
      ['survey', '--changes'],
      ['inspect', built],
      ['verify', '--page', built],
      ['verify'],
    ];

    for (const args of runs) {
      const { stdout, stderr } = await bevelstone(args, { cwd: w.folder, env: w.env });
      expect(stdout + stderr, args.join(' ')).not.toMatch(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e]/);
    }
  });

  it('is written as it is by inspect --print, where the output is not a terminal', async () => {
    const w = await releaseWorkspace();
    w.commit('feat: x', { 'soundings/README.md': `# ${hostile}\n` });
    await bevelstone(['build'], { cwd: w.folder, env: w.env });

    const bytes = execFileSync(
      process.execPath,
      [
        path.join(import.meta.dirname, '../../dist/main.js'),
        'inspect',
        'bevelstone-out/soundings-0.1.0/soundings-0.1.0.tgz',
        '--print',
        'package/README.md',
      ],
      { cwd: w.folder },
    );

    expect(bytes.toString()).toBe(`# ${hostile}\n`);
  });
});
