import { stepTexts } from '../../core/surface/check.ts';
import {
  countText,
  type Difference,
  depthOf,
  type Effect,
  effects,
  placeText,
  type SurfaceName,
  type SurfacePlace,
} from '../../core/surface/surface.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { ShownSurface, SurfaceAnswer } from '../../flow/surface/surface.ts';
import { displayPath } from './display-path.ts';
import { type Mark, type Screen, sign } from './screen.ts';
import { beside, indented } from './wrap.ts';

const marks: Readonly<Record<Effect, Mark>> = {
  breaking: 'refused',
  unknown: 'warning',
  addition: 'done',
  compatible: 'nothing',
};

/** Names by entry, or differences by what they mean, the most important first; the step is the last line. */
export function renderSurfaces({ surfaces, page }: SurfaceAnswer, screen: Screen): string {
  const blocks = surfaces.map((surface) =>
    surface.comparison === null ? renderNames(surface, screen) : renderDifferences(surface, surface.comparison, screen),
  );
  const last = page === null ? [] : [`  page: ${displayPath(page)}`];
  return [...blocks, ...last].join('\n\n');
}

function renderNames({ artifact, form, entries, notChecked }: ShownSurface, screen: Screen): string {
  const { colours } = screen;
  const title = `  ${colours.bold(cleanText(artifact))}  ${colours.dim(form)}`;
  const count = entries.reduce((sum, { names }) => sum + names.length, 0);
  const parts = entries.map(({ entry, names }) =>
    [`    ${colours.bold(cleanText(entry))}`, ...names.map((name) => nameLine(name, screen))].join('\n'),
  );
  const sum = `${sign('done', screen)} ${count} public ${count === 1 ? 'name' : 'names'}`;
  return [title, ...parts, ...notes(notChecked, screen), sum].join('\n\n');
}

function nameLine({ name, kind, signature, place }: SurfaceName, { colours }: Screen): string {
  // Members stand below their owner, which has said its name.
  const text = `${'  '.repeat(depthOf({ name, kind }) + 3)}${cleanText(signature)}`;
  return `${text}  ${colours.dim(cleanText(`${kind}${place === null ? '' : `, ${placeText(place)}`}`))}`;
}

function renderDifferences(
  { artifact, notChecked }: ShownSurface,
  { against, differences, step }: NonNullable<ShownSurface['comparison']>,
  screen: Screen,
): string {
  const { colours } = screen;
  const title = `  ${colours.bold(cleanText(artifact))} compared with ${cleanText(against)}`;
  const groups = effects.flatMap((effect) => {
    const own = differences.filter((difference) => difference.effect === effect);
    return own.length === 0 ? [] : [own.map((difference) => renderDifference(difference, screen)).join('\n')];
  });
  const count = (effect: Effect) => differences.filter((difference) => difference.effect === effect).length;
  const counts = effects.filter((effect) => count(effect) > 0).map((effect) => countText(effect, count(effect)));
  const mark: Mark = step === 'major' ? 'refused' : step === 'unknown' ? 'warning' : 'done';
  const words = counts.length === 0 ? 'no differences' : counts.join(', ');
  return [title, ...groups, ...notes(notChecked, screen), `${sign(mark, screen)} ${words}: ${stepTexts[step]}`].join(
    '\n\n',
  );
}

function renderDifference(
  { name, entry, effect, why, old, new: now, oldPlace, newPlace }: Difference,
  screen: Screen,
): string {
  const { colours } = screen;
  const where = entry === '.' || entry === name ? '' : colours.dim(`  ${cleanText(entry)}`);
  const head = `  ${sign(marks[effect], screen)} ${effect.padEnd(10)}  `;
  const side = (word: string, text: string | null, place: SurfacePlace | null) =>
    text === null
      ? []
      : [
          beside(
            `      ${colours.dim(word.padEnd(8))}  `,
            `${cleanText(text)}  ${colours.dim(place === null ? '' : cleanText(placeText(place)))}`.trimEnd(),
            screen,
          ),
        ];
  return [
    beside(head, `${colours.bold(cleanText(name))}${where}: ${cleanText(why)}`, screen),
    ...side('before', old, oldPlace),
    ...side('now', now, newPlace),
  ].join('\n');
}

function notes(notChecked: ShownSurface['notChecked'], screen: Screen): string[] {
  if (notChecked.length === 0) return [];
  const texts = [...new Set(notChecked.map(({ entry, why }) => (entry === null ? why : `${entry}: ${why}`)))];
  return [
    [`  ${sign('warning', screen)} not checked`, ...texts.map((text) => indented(6, cleanText(text), screen))].join(
      '\n',
    ),
  ];
}

/** The `result` of the JSON envelope: of the first artifact, with the others beside it. */
export function surfaceJson({ surfaces: [first, ...others], page }: SurfaceAnswer): unknown {
  const one = (surface: ShownSurface) => {
    const { comparison, ...rest } = surface;
    return { ...rest, ...(comparison ?? {}) };
  };
  return { ...(first === undefined ? {} : one(first)), others: others.map(one), page };
}
