import { datePartsOf, findDate } from './date-style.ts';
import { type ChangelogMarkup, type ChangelogOutline, compareHeadings, type VersionHeading } from './headings.ts';
import { replaceVersions } from './link-lines.ts';
import { headingLines } from './render-body.ts';

/** The heading of a release, made from that of the last one. */
export function newHeading(
  { versions, headings, unreleased }: ChangelogOutline,
  { version, date }: { readonly version: string; readonly date: string },
  markup: ChangelogMarkup,
): string[] {
  const sample = versions.toSorted((a, b) => compareHeadings(b.version, a.version))[0];
  const texts = headings.map(({ text }) => text);
  if (sample === undefined) {
    const style =
      unreleased?.style ??
      (markup === 'rst'
        ? ({
            type: 'underlined',
            mark: headings[0]?.style.type === 'underlined' && headings[0].style.mark === '-' ? '=' : '-',
            isOver: false,
          } as const)
        : ({ type: 'marks', level: 2, isClosed: false } as const));
    const own = unreleased?.text.match(/^\[[^\]]*\]$/) ? `[${version}] - ${date}` : `${version} (${date})`;
    return headingLines(unreleased === null ? `${version}, ${date}` : own, style);
  }
  const { text, at } = sample;
  const tail = text.slice(at + sample.version.length);
  const link = /^(\]\([^)]*\)|\]\[[^\]]*\]|\])?/.exec(tail)?.[0] ?? '';
  const rest = tail.slice(link.length);
  const found = findDate(rest, texts);
  const older = versions.find((heading) => compareHeadings(heading.version, sample.version) < 0)?.version;
  const pairs = [
    [sample.version, version] as const,
    ...(older === undefined ? [] : [[older, sample.version] as const]),
  ];
  const written = replaceVersions(link, pairs);
  const lead = text.slice(0, at) + version + written;
  if (found === null) return headingLines(lead + (/^[:)*_]+/.exec(rest)?.[0] ?? ''), sample.style);
  const between = rest
    .slice(0, found.start)
    .replace(/["\u201c'][^"\u201d']*["\u201d']/g, '')
    .replace(/\b(?!released\b|on\b|release\b|date\b)[A-Za-z]{3,}\b/gi, '')
    .replace(/\s{2,}/g, ' ')
    .replace(/^ ?[-\u2013\u2014:,]+ (?=[-\u2013\u2014(])/, ' ');
  const behind = /^[)\]*_:]*/.exec(rest.slice(found.end))?.[0] ?? '';
  return headingLines(`${lead}${between}${found.format(datePartsOf(date))}${behind}`, sample.style);
}

/** A line with the date alone, where sections have one below their heading. */
export function dateBelow(lines: readonly string[], sample: VersionHeading | undefined, date: string): string[] {
  if (sample === undefined || findDate(sample.text, []) !== null) return [];
  const line = lines.slice(sample.end).find((text) => text.trim() !== '') ?? '';
  const found = findDate(line, [line]);
  if (found === null) return [];
  const [before, behind] = [line.slice(0, found.start), line.slice(found.end)];
  if (!/^[\W_]*(?:(?:released?|date)(?: on)?[\W_]*)?$/i.test(before) || !/^[\W_]*$/.test(behind)) return [];
  const gap = (lines[sample.end] ?? '').trim() === '' ? [''] : [];
  return [...gap, before + found.format(datePartsOf(date)) + behind];
}
