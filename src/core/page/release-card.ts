import { itemText, type NoteSection } from '../changelog/section.ts';
import type { Form } from '../name/form.ts';
import type { ConsumerLine } from '../protocol/offer.ts';
import { type PartialSummary, partialSummaryText } from '../record/release-record.ts';
import { formatBytes } from '../text/bytes.ts';
import { escapeHtml } from '../text/html.ts';
import { policyElement } from '../text/page-policy.ts';
import { markdownToHtml } from './markdown-html.ts';

/** A file inside an artifact, for the picture of sizes. */
export type ShownFile = { readonly path: string; readonly sizeBytes: number };

/** One release on the page. */
export type ShownCardRelease = {
  readonly package: string;
  readonly version: string;
  readonly last: string | null;
  readonly weight: string;
  readonly reasons: readonly string[];
  readonly intro: string | null;
  readonly sections: readonly NoteSection[];
  readonly artifacts: readonly {
    readonly file: string;
    readonly form: Form;
    readonly sizeBytes: number;
    readonly sha256: string;
    readonly partial?: PartialSummary;
    /** Empty where nothing is known of the inside. */
    readonly files: readonly ShownFile[];
  }[];
  /** What the rules found, one sentence each; null where that is not on record. */
  readonly findings: readonly string[] | null;
  readonly rehearsed: readonly string[];
  /** How its public surface compares with the last release, one sentence for each artifact. */
  readonly surface: readonly string[];
  readonly sboms: readonly string[];
  readonly deliveries: readonly {
    readonly destination: string;
    readonly artifact: string;
    readonly state: string;
    readonly address: string | null;
  }[];
  readonly lines: readonly ConsumerLine[];
};

/** All that a card tells. */
export type ShownCard = {
  readonly supplier: string | null;
  /** What was done, or is about to be: `Released`, `About to be released`. */
  readonly state: string;
  /** ISO 8601 date. */
  readonly date: string;
  readonly commit: string;
  readonly stream: string;
  readonly releases: readonly ShownCardRelease[];
};

/**
 * The release card as a page of its own: no script, nothing loaded from elsewhere, readable on paper and read aloud. Everything
 * from outside is escaped.
 */
export function renderReleaseCard(card: ShownCard): string {
  const names = card.releases.map((release) => `${release.package} ${release.version}`).join(', ');
  const title = `${card.state}: ${names}`;
  const rows = card.releases.map(
    (release) =>
      `<tr><th scope="row"><a href="#${anchor(release)}">${escapeHtml(release.package)}</a></th><td>${escapeHtml(release.last ?? 'first')}</td><td class="to">${escapeHtml(release.version)}</td><td>${escapeHtml(release.weight)}</td><td>${escapeHtml(release.reasons.join('; '))}</td></tr>`,
  );
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8">${policyElement}<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title>
<style>${style}</style></head>
<body>
<header><p>${escapeHtml(card.supplier ?? '')}</p><h1>${escapeHtml(card.state)}</h1>
<p>${escapeHtml(card.date)}, from commit <code>${escapeHtml(card.commit.slice(0, 12))}</code>, ${escapeHtml(card.stream)}</p></header>
<main>
<table><caption>Versions, and why</caption><thead><tr><th scope="col">package</th><th scope="col">from</th><th scope="col">to</th><th scope="col">weight</th><th scope="col">because</th></tr></thead><tbody>${rows.join('')}</tbody></table>
${card.releases.map(renderOne).join('\n')}
</main>
</body>
</html>
`;
}

function anchor({ package: name }: ShownCardRelease): string {
  return `p-${name.replace(/[^\w-]+/g, '-')}`;
}

function renderOne(cardRelease: ShownCardRelease): string {
  const parts = [
    renderChanges(cardRelease),
    renderArtifacts(cardRelease),
    renderChecks(cardRelease),
    renderDeliveries(cardRelease),
    renderLines(cardRelease),
  ].filter((text) => text !== '');
  return `<article id="${anchor(cardRelease)}"><h2>${escapeHtml(cardRelease.package)} <span>${escapeHtml(cardRelease.version)}</span></h2>\n${parts.join('\n')}\n</article>`;
}

function renderChanges({ intro, sections }: ShownCardRelease): string {
  const introHtml = intro === null ? '' : markdownToHtml(intro);
  const lists = sections.map(({ title, items }) => {
    const lines = items.map(
      (item) =>
        `<li>${escapeHtml(itemText(item))}${item.breaking === null || item.breaking === item.summary ? '' : `<br>${escapeHtml(item.breaking)}`}</li>`,
    );
    return `<h4>${escapeHtml(title)}</h4><ul>${lines.join('')}</ul>`;
  });
  return `<section><h3>Changes</h3>${introHtml}${lists.join('') || '<p>Nothing that needs a word.</p>'}</section>`;
}

/** Every artifact with its size against the largest, cut by the folders inside. */
function renderArtifacts({ artifacts }: ShownCardRelease): string {
  if (artifacts.length === 0) return '';
  const largest = artifacts.reduce((most, { sizeBytes }) => Math.max(most, sizeBytes), 1);
  const figures = artifacts.map((artifact) => {
    const groups = groupsOf(artifact.files);
    const sizes = groups.map(({ name, sizeBytes }) => `${name} ${formatBytes(sizeBytes)}`).join(', ');
    const unpacked = artifact.files.length === 0 ? '' : `${artifact.files.length} files, unpacked: ${sizes}`;
    const part = artifact.partial === undefined ? '' : partialSummaryText(artifact.partial);
    const inside = [part, unpacked].filter((text) => text !== '').join('; ');
    return `<figure><figcaption><b>${escapeHtml(artifact.file)}</b> ${formatBytes(artifact.sizeBytes)}${inside === '' ? '' : `<br>${escapeHtml(inside)}`}<br><code>${escapeHtml(artifact.sha256)}</code></figcaption>${bar(groups, artifact.sizeBytes / largest, inside || artifact.file)}</figure>`;
  });
  return `<section><h3>Contents</h3>${figures.join('')}</section>`;
}

type Group = { readonly name: string; readonly sizeBytes: number };

const maxGroups = 5;

/** Sizes by first folder, the largest first; what is small is put together. */
function groupsOf(files: readonly ShownFile[]): Group[] {
  const top = commonStart(files);
  const sizes = new Map<string, number>();
  for (const { path, sizeBytes } of files) {
    const inside = path.slice(top.length);
    const slash = inside.indexOf('/');
    const name = slash === -1 ? 'top' : `${inside.slice(0, slash)}/`;
    sizes.set(name, (sizes.get(name) ?? 0) + sizeBytes);
  }
  const sorted = [...sizes].map(([name, sizeBytes]) => ({ name, sizeBytes })).sort((a, b) => b.sizeBytes - a.sizeBytes);
  if (sorted.length <= maxGroups) return sorted;
  const rest = sorted.slice(maxGroups - 1).reduce((sum, item) => sum + item.sizeBytes, 0);
  return [...sorted.slice(0, maxGroups - 1), { name: 'other folders', sizeBytes: rest }];
}

function commonStart(files: readonly ShownFile[]): string {
  const [first] = files;
  const folder = first === undefined ? '' : first.path.slice(0, first.path.indexOf('/') + 1);
  return folder !== '' && files.every(({ path }) => path.startsWith(folder)) ? folder : '';
}

/** Shades that stay apart in black and white. */
const shades = ['#2d6a73', '#8fb8bd', '#5a6b4f', '#c9c3a5', '#dfe6e4'];

function bar(groups: readonly Group[], share: number, label: string): string {
  const whole = groups.reduce((sum, group) => sum + group.sizeBytes, 0);
  const width = Math.max(4, Math.round(share * 600));
  let x = 0;
  const pieces = groups.map(({ sizeBytes }, index) => {
    const piece = whole === 0 ? 0 : (sizeBytes / whole) * width;
    const rect = `<rect x="${x.toFixed(1)}" width="${Math.max(0.5, piece - 1).toFixed(1)}" height="14" fill="${shades[index % shades.length]}"/>`;
    x += piece;
    return rect;
  });
  const plain = `<rect width="${width}" height="14" fill="${shades[0]}"/>`;
  return `<svg viewBox="0 0 600 14" preserveAspectRatio="none" role="img" aria-label="${escapeHtml(label)}">${pieces.join('') || plain}</svg>`;
}

function renderChecks({ findings, rehearsed, sboms, surface }: ShownCardRelease): string {
  const facts = [
    ...(findings === null ? [] : [['rules', findings.length === 0 ? ['no findings'] : findings] as const]),
    ...(surface.length === 0 ? [] : [['public surface', surface] as const]),
    ...(rehearsed.length === 0 ? [] : [['rehearsed', [rehearsed.join(', ')]] as const]),
    ...(sboms.length === 0 ? [] : [['SBOMs', [sboms.join('; ')]] as const]),
  ];
  if (facts.length === 0) return '';
  const rows = facts.map(([name, texts]) => `<dt>${name}</dt><dd>${texts.map(escapeHtml).join('<br>')}</dd>`);
  return `<section><h3>Checks</h3><dl>${rows.join('')}</dl></section>`;
}

function renderDeliveries({ deliveries }: ShownCardRelease): string {
  if (deliveries.length === 0) return '';
  const isAnywhere = deliveries.some(({ address }) => address !== null);
  const at = (text: string) => (isAnywhere ? text : '');
  const rows = deliveries.map(
    ({ destination, artifact, state, address }) =>
      `<tr><td>${escapeHtml(state)}</td><td>${escapeHtml(artifact)}</td><td>${escapeHtml(destination)}</td>${at(`<td class="at">${escapeHtml(address ?? '')}</td>`)}</tr>`,
  );
  return `<section><h3>Deliveries</h3><table><thead><tr><th scope="col">state</th><th scope="col">artifact</th><th scope="col">to</th>${at('<th scope="col">at</th>')}</tr></thead><tbody>${rows.join('')}</tbody></table></section>`;
}

function renderLines({ lines }: ShownCardRelease): string {
  if (lines.length === 0) return '';
  const items = lines.map(
    ({ destination, client, text }) =>
      `<h4>${escapeHtml(client)} from ${escapeHtml(destination)}</h4><pre>${escapeHtml(text)}</pre>`,
  );
  return `<section><h3>To get it</h3>${items.join('')}</section>`;
}

const style = `
body{margin:0;background:#f4f1e8;color:#20303a;font:16px/1.5 Georgia,"DejaVu Serif",serif}
header{background:#20303a;color:#f4f1e8;padding:1.2rem 2.5rem}header p{margin:0;color:#c3d3d5}header h1{margin:.1rem 0;font-size:1.8rem}
main{max-width:66rem;margin:0 auto;padding:1rem 2.5rem 3rem}
article{background:#fffdf8;border-left:6px solid #2d6a73;margin-top:1.6rem;padding:.4rem 1.6rem 1rem}
h2{font-size:1.4rem;margin:.6rem 0 0}h2 span,td.to{color:#2d6a73}td.to{font-weight:bold}
h3{font-size:1rem;margin:1.1rem 0 .3rem;color:#66757d;font-weight:normal;border-bottom:1px solid #ddd6c6}h4{font-size:1rem;margin:.6rem 0 0}
ul{margin:.2rem 0}table{border-collapse:collapse;width:100%}caption{text-align:left;color:#66757d;padding:.4rem 0}
th,td{text-align:left;padding:.25rem 1rem .25rem 0;border-bottom:1px solid #e6e0d2;vertical-align:top;font-weight:normal}thead th{color:#66757d}
td.at{font-size:.8rem;overflow-wrap:anywhere}figure{margin:.6rem 0}figcaption{font-size:.9rem}svg{display:block;width:100%;height:14px;margin-top:.2rem}
code,pre{font:.8rem/1.45 "DejaVu Sans Mono",monospace;overflow-wrap:anywhere}pre{background:#f1ede2;padding:.6rem;white-space:pre-wrap;margin:.2rem 0}
dl{display:grid;grid-template-columns:max-content 1fr;gap:.2rem 1.2rem;margin:.2rem 0}dt{color:#66757d}dd{margin:0}a{color:#1d5f85}
@media print{body,header{background:#fff;color:#000}header p{color:#333}article{break-inside:auto;border-left-width:2px}main{max-width:none;padding:0}figure,tr{break-inside:avoid}}
`;
