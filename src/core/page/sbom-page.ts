import type { SbomComparison } from '../sbom/compare-sboms.ts';
import { type OverviewRow, overviewOf, type SbomOverview, titleOf } from '../sbom/overview.ts';
import type { Sbom, SbomPackage } from '../sbom/sbom.ts';
import { escapeHtml } from '../text/html.ts';
import { policyElement } from '../text/page-policy.ts';

/** What a page says of where it comes from. */
export type SbomPageAbout = {
  readonly format: string;
  readonly file: string;
  readonly against: string | null;
  readonly comparison: SbomComparison | null;
};

/** Rows of a tree or a list that a page holds; a browser is slow with more. */
const mostRows = 3000;

/**
 * An SBOM as a page of its own: no script, nothing loaded from elsewhere, readable on a small screen and on paper. Everything
 * from outside is escaped.
 */
export function renderSbomPage(sbom: Sbom, about: SbomPageAbout): string {
  const overview = overviewOf(sbom);
  const name = overview.subjects.map(titleOf).join(', ') || sbom.name;
  const isComplete = overview.unknown.length === 0;
  const organisation = sbom.organisation === null ? '' : `${escapeHtml(sbom.organisation)}, `;
  const from = overview.commit === null ? '' : `, from commit <code>${escapeHtml(overview.commit.slice(0, 12))}</code>`;
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8">${policyElement}<meta name="viewport" content="width=device-width"><title>${escapeHtml(`What is in ${name}`)}</title>
<style>${style}</style></head>
<body>
<header><h1>What is in ${escapeHtml(name)}</h1>
<p>${organisation}${escapeHtml(sbom.created.slice(0, 10))}, ${escapeHtml(about.format)}${from}</p>
<p class="${isComplete ? 'whole' : 'part'}">${verdict(overview)}</p></header>
<main>
${[summary(overview), changes(about), needs(overview), licences(overview), open(overview), artifacts(overview)].filter((part) => part !== '').join('\n')}
</main>
<footer>Made from ${escapeHtml(about.file)}</footer>
</body>
</html>
`;
}

function verdict({ unknown, thirdParty }: SbomOverview): string {
  const open = thirdParty.filter(({ licence }) => licence === null).length;
  const link = '<a href="#open">See why</a>';
  if (unknown.length > 0) return `Incomplete: ${counted(unknown.length, 'thing')} could not be determined. ${link}`;
  const whole = 'Complete: every package that it needs is listed';
  return open === 0
    ? `${whole}.`
    : `${whole}; ${counted(open, 'licence')} ${open === 1 ? 'is' : 'are'} unknown. ${link}`;
}

const kindWords: Readonly<Record<SbomOverview['kinds'][number]['kind'], string>> = {
  run: 'needed to run',
  peer: 'brought by users',
  optional: 'optional',
  build: 'needed to build',
  development: 'needed to develop',
  contained: 'inside the package',
};

function summary({ subjects, firstParty, thirdParty, kinds, licences: all }: SbomOverview): string {
  const why = kinds.map(({ kind, count }) => `${count} ${kindWords[kind]}`).join(', ');
  const rows: [string, string][] = [
    ['licence', [...new Set(subjects.map(({ licence }) => licence ?? 'unknown'))].join(', ')],
    ['third-party', `${counted(thirdParty.length, 'package')}${why === '' ? '' : `: ${why}`}`],
    ['first-party', counted(firstParty.length, 'package')],
    ['their licences', `${all.filter(({ licence }) => licence !== null).length} different`],
  ];
  const list = rows.map(([label, value]) => `<dt>${label}</dt><dd>${escapeHtml(value)}</dd>`);
  return `<section><dl>${list.join('')}</dl></section>`;
}

function changes({ comparison, against }: SbomPageAbout): string {
  if (comparison === null) return '';
  const { added, removed, upgraded, relicensed } = comparison;
  const lists: [string, string[]][] = [
    ['added', added.map(({ name, version }) => `${name} ${version ?? ''}`)],
    ['removed', removed.map(({ name, version }) => `${name} ${version ?? ''}`)],
    ['upgraded', upgraded.map(({ name, before, after }) => `${name}: ${before} to ${after}`)],
    ['under another licence', relicensed.map(({ name, before, after }) => `${name}: ${before} to ${after}`)],
  ];
  const parts = lists
    .filter(([, items]) => items.length > 0)
    .map(
      ([title, items]) => `<h3>${title}</h3><ul>${items.map((item) => `<li>${escapeHtml(item)}</li>`).join('')}</ul>`,
    );
  const body = parts.length === 0 ? '<p>Nothing.</p>' : parts.join('');
  return `<section><h2>What changed since ${escapeHtml(against ?? '')}</h2>${body}</section>`;
}

function needs({ tree, contained, loose }: SbomOverview): string {
  const rows = tree.slice(0, mostRows).map(treeRow).join('');
  const rest = tree.length > mostRows ? `<p>and ${tree.length - mostRows} more lines, all of them in the SBOM</p>` : '';
  const trees = tree.length === 0 ? '' : `<h2>What it needs</h2><ol class="tree">${rows}</ol>${rest}`;
  return [
    trees === '' ? '' : `<section>${trees}</section>`,
    listOf('Copies inside', contained),
    listOf('Listed, but needed by nothing', loose),
  ].join('');
}

function treeRow({ pkg, kind, depth, isAgain, isOwn }: OverviewRow): string {
  const words = [
    ...(isOwn ? ['first-party'] : []),
    ...(kind === 'run' ? [] : [kindWords[kind]]),
    ...(isAgain ? ['its needs stand above'] : []),
  ];
  const level = Math.min(depth, 12);
  return `<li class="${isOwn ? 'own' : ''}" style="--level:${level}" aria-level="${level + 1}">${packageText(pkg, words)}</li>`;
}

function packageText(pkg: SbomPackage, words: readonly string[]): string {
  const licence = (pkg.licence ?? 'licence unknown').split('\n')[0] ?? '';
  const more = words.length === 0 ? '' : ` <small>${escapeHtml(words.join(', '))}</small>`;
  const version = pkg.version === null ? ' <small>version unknown</small>' : ` <b>${escapeHtml(pkg.version)}</b>`;
  return `<span>${escapeHtml(pkg.name)}${version}${more}</span><span class="${pkg.licence === null ? 'gap' : 'licence'}">${escapeHtml(licence)}</span>`;
}

function listOf(title: string, packages: readonly SbomPackage[]): string {
  if (packages.length === 0) return '';
  const items = packages.slice(0, mostRows).map((pkg) => `<li>${packageText(pkg, [])}</li>`);
  return `<section><h2>${title}</h2><ol class="tree">${items.join('')}</ol></section>`;
}

/** Each licence with a bar as long as its share. */
function licences({ licences: all, thirdParty }: SbomOverview): string {
  if (all.length === 0) return '';
  const rows = all.slice(0, 60).map(({ licence, names }) => {
    const share = Math.max(1, Math.round((names.length / thirdParty.length) * 100));
    const title = (licence ?? 'unknown').split('\n')[0] ?? '';
    const shown = names.slice(0, 12).join(', ') + (names.length > 12 ? ` and ${names.length - 12} more` : '');
    return `<tr><th scope="row" class="${licence === null ? 'gap' : ''}">${escapeHtml(title)}</th><td class="count">${names.length}</td><td><div class="bar ${licence === null ? 'none' : ''}" style="width:${share}%"></div><small>${escapeHtml(shown)}</small></td></tr>`;
  });
  return `<section><h2>Licences of third-party packages</h2><table><thead><tr><th scope="col">licence</th><th scope="col">count</th><th scope="col">which</th></tr></thead><tbody>${rows.join('')}</tbody></table></section>`;
}

function open({ open: facts, unknown }: SbomOverview): string {
  if (facts.length + unknown.length === 0) return '';
  const items = [
    ...unknown.map((text) => `<li>${escapeHtml(text)}</li>`),
    ...facts.map(({ what, why, names }) => {
      const shown = names.slice(0, 20).join(', ') + (names.length > 20 ? ` and ${names.length - 20} more` : '');
      return `<li>The ${what} of ${escapeHtml(shown)}: ${escapeHtml(why)}</li>`;
    }),
  ];
  return `<section id="open"><h2>What is not known, and why</h2><ul>${items.join('')}</ul></section>`;
}

function artifacts({ artifacts: all }: SbomOverview): string {
  if (all.length === 0) return '';
  const parts = all.map(({ name, files, digests }) => {
    const digest = digests.find(({ algorithm }) => algorithm === 'SHA-256')?.value;
    const list = (files ?? []).slice(0, mostRows).map(({ path }) => `<li>${escapeHtml(path)}</li>`);
    const title = `<summary>${escapeHtml(name)} <small>${files === null ? 'files not listed' : counted(files.length, 'file')}</small></summary>`;
    const code = digest === undefined ? '' : `<p><small>SHA-256</small> <code>${escapeHtml(digest)}</code></p>`;
    return `<details>${title}${code}<ul class="files">${list.join('')}</ul></details>`;
  });
  return `<section><h2>Artifacts</h2>${parts.join('')}</section>`;
}

function counted(count: number, what: string): string {
  return `${count} ${what}${count === 1 ? '' : 's'}`;
}

const style = `
*{box-sizing:border-box}body{margin:0;background:#f7f5ef;color:#22303a;font:16px/1.5 "DejaVu Serif",Georgia,serif}
header{background:#2b3d49;color:#f7f5ef;padding:1.4rem max(1rem,calc(50vw - 29rem))}h1{font-size:1.5rem;margin:0;overflow-wrap:anywhere}header p{margin:.3rem 0 0;color:#c8d2d6}header a{color:#f2d9a0}
header .whole{color:#bfe0c2}header .part{color:#f2d9a0}
main{max-width:60rem;margin:0 auto;padding:0 1rem 2rem}section{margin-top:1.6rem}h2{font-size:1.15rem;margin:0 0 .5rem;color:#2d6a73}h3{font-size:1rem;margin:.6rem 0 0;font-weight:normal;color:#56656d}
dl{display:grid;grid-template-columns:max-content 1fr;gap:.15rem 1.2rem;margin:0}dt{color:#56656d}dd{margin:0}
ol.tree{list-style:none;margin:0;padding:0}ol.tree li{display:flex;justify-content:space-between;gap:1rem;padding:.25rem 0 .25rem calc(var(--level,0)*1.3rem);border-bottom:1px solid #e6e0d2;overflow-wrap:anywhere}
ol.tree span:last-child{flex:0 1 40%;text-align:right}li.own>span:first-child{color:#2d6a73}.licence{color:#56656d}.gap{color:#96371f}small{font-size:.82rem;color:#66757d}
table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.3rem .8rem .3rem 0;border-bottom:1px solid #e6e0d2;vertical-align:top;font-weight:normal;overflow-wrap:anywhere}thead th{color:#66757d}td.count{width:5rem}th[scope=row]{width:14rem}
.bar{height:.5rem;background:#6f9aa1;margin:.45rem 0 .2rem}.bar.none{background:#c98a73}
ul{margin:.2rem 0;padding-left:1.2rem}li{overflow-wrap:anywhere}ul.files{font:.8rem/1.5 "DejaVu Sans Mono",monospace}summary{cursor:pointer;padding:.25rem 0;overflow-wrap:anywhere}code{font:.8rem/1.45 "DejaVu Sans Mono",monospace;overflow-wrap:anywhere}
footer{max-width:60rem;margin:0 auto;padding:0 1rem 2rem;color:#66757d;font-size:.9rem;overflow-wrap:anywhere}
@media (max-width:32rem){body{font-size:15px}ol.tree li{flex-direction:column;gap:0;padding-left:calc(var(--level,0)*.8rem)}ol.tree span:last-child{text-align:left}th[scope=row]{width:7rem}td.count{width:3.4rem}thead th{font-size:.85rem}}
@media print{body,header{background:#fff;color:#000}header p,header .whole,header .part{color:#333}main{max-width:none}}
`;
