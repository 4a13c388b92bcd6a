import { stepTexts } from '../surface/check.ts';
import {
  countText,
  type Difference,
  depthOf,
  effects,
  placeText,
  type Surface,
  type SurfaceStep,
} from '../surface/surface.ts';
import { escapeHtml } from '../text/html.ts';
import { policyElement } from '../text/page-policy.ts';

/** One artifact on the page. */
export type PageSurface = Surface & {
  readonly artifact: string;
  readonly comparison: {
    readonly against: string;
    readonly differences: readonly Difference[];
    readonly step: SurfaceStep;
  } | null;
};

/** What each effect means, as a heading of its own. */
const headings: Readonly<Record<Difference['effect'], string>> = {
  breaking: 'Breaks code that uses it',
  unknown: 'Could not be judged',
  addition: 'New',
  compatible: 'Changed, and compatible',
};

/** The public surface of artifacts, or how it differs, as a page of its own: no script, nothing loaded from elsewhere. */
export function surfacePage(surfaces: readonly PageSurface[]): string {
  const title = `Public surface of ${surfaces.map(({ artifact }) => artifact).join(', ')}`;
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8">${policyElement}<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title>
<style>${style}</style></head>
<body>
<main>
${surfaces.map(renderSurface).join('\n')}
</main>
</body>
</html>
`;
}

function renderSurface(surface: PageSurface): string {
  const { artifact, comparison, notChecked } = surface;
  const notes = notChecked.map(({ entry, why }) => `<li>${escapeHtml(entry === null ? why : `${entry}: ${why}`)}</li>`);
  const left = notes.length === 0 ? '' : `<section><h2>Not checked</h2><ul>${notes.join('')}</ul></section>`;
  if (comparison === null)
    return `<header><p>Public surface</p><h1>${escapeHtml(artifact)}</h1></header>${surface.entries.map(renderEntry).join('')}${left}`;
  const { against, differences, step } = comparison;
  const counts = effects.flatMap((effect) => {
    const count = differences.filter((difference) => difference.effect === effect).length;
    return count === 0 ? [] : [`<li class="${effect}">${countText(effect, count)}</li>`];
  });
  const groups = effects.map((effect) =>
    renderGroup(
      effect,
      differences.filter((difference) => difference.effect === effect),
    ),
  );
  return `<header><p>Public surface, compared with ${escapeHtml(against)}</p><h1>${escapeHtml(artifact)}</h1>
<p class="step">The differences ask for <b>${stepTexts[step]}</b>.</p><ul class="counts">${counts.join('') || '<li>No differences</li>'}</ul></header>
${groups.join('')}${left}`;
}

function renderEntry({ entry, names }: Surface['entries'][number]): string {
  const rows = names.map(
    ({ kind, signature, name, place }) =>
      `<tr><td>${escapeHtml(kind)}</td><td class="depth-${Math.min(depthOf({ name, kind }), 4)}"><code>${escapeHtml(signature)}</code></td><td class="place">${placeHtml(place)}</td></tr>`,
  );
  return `<section><h2>${escapeHtml(entry)}</h2><table>${rows.join('')}</table></section>`;
}

const placeHtml = (place: Difference['oldPlace']) => (place === null ? '' : escapeHtml(placeText(place)));

function renderGroup(effect: Difference['effect'], differences: readonly Difference[]): string {
  if (differences.length === 0) return '';
  return `<section class="${effect}"><h2>${headings[effect]}</h2>${differences.map(renderDifference).join('')}</section>`;
}

function renderDifference({ name, entry, why, old, new: now, oldPlace, newPlace }: Difference): string {
  const side = (word: string, text: string | null, place: Difference['oldPlace']) =>
    text === null
      ? ''
      : `<dt>${word}</dt><dd><code>${escapeHtml(text)}</code> <span class="place">${placeHtml(place)}</span></dd>`;
  const where = entry === '.' || entry === name ? '' : ` <span class="entry">${escapeHtml(entry)}</span>`;
  return `<article><h3>${escapeHtml(name)}${where}</h3><p>${escapeHtml(why)}</p><dl>${side('before', old, oldPlace)}${side('now', now, newPlace)}</dl></article>`;
}

const style = `
body{margin:0;background:#f4f1e8;color:#20303a;font:16px/1.5 Georgia,"DejaVu Serif",serif}
main{max-width:66rem;margin:0 auto;padding:0 2.5rem 3rem}
header{border-bottom:3px solid #2d6a73;padding:1.6rem 0 1rem}header p{margin:0;color:#66757d}h1{margin:.1rem 0;font-size:1.7rem}
p.step{color:#20303a;font-size:1.1rem;margin-top:.4rem}ul.counts{list-style:none;display:flex;gap:1.6rem;padding:0;margin:.4rem 0 0}
h2{font-size:1.1rem;margin:1.6rem 0 .4rem}h3{font:bold 1rem/1.4 "DejaVu Sans Mono",monospace;margin:0}article p{margin:.1rem 0 .2rem}
article{background:#fffdf8;border-left:6px solid #c9c3a5;margin:.5rem 0;padding:.6rem 1.2rem}
section.breaking article{border-color:#8c2f2f}section.breaking h2,li.breaking{color:#8c2f2f}
section.addition article{border-color:#2d6a73}section.unknown article{border-style:double;border-color:#5a6b4f}
dl{display:grid;grid-template-columns:4rem 1fr;gap:.1rem .8rem;margin:0}dt{color:#66757d}dd{margin:0}
code{font:.85rem/1.5 "DejaVu Sans Mono",monospace;overflow-wrap:anywhere}.place,.entry{color:#66757d;font-size:.85rem;font-weight:normal}
table{border-collapse:collapse;width:100%}td{padding:.15rem 1rem .15rem 0;border-bottom:1px solid #e6e0d2;vertical-align:top}td:first-child{color:#66757d;width:7rem}
.depth-1{padding-left:1.5rem}.depth-2{padding-left:3rem}.depth-3{padding-left:4.5rem}.depth-4{padding-left:6rem}
@media print{body{background:#fff;color:#000}main{max-width:none;padding:0}article{break-inside:avoid}}
`;
