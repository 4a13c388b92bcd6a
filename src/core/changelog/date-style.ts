/** A date inside a heading, and how another one is written in its manner. */
export type FoundDate = { readonly start: number; readonly end: number; readonly format: (date: DateParts) => string };

/** A calendar date. */
export type DateParts = { readonly year: number; readonly month: number; readonly day: number };

const months = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
] as const;
const monthWord = `(?<month>${months.join('|')}|${months.map((name) => name.slice(0, 3)).join('|')}|Sept)(?<dot>\\.?)`;

type DatePattern = { readonly pattern: RegExp; readonly format: (parts: DateParts, sample: Sample) => string };

/** The parts of the date that is there, and all headings, which show how single digits are written. */
type Sample = { readonly groups: Readonly<Record<string, string>>; readonly headings: readonly string[] };

const yearFirst = /(?<!\d)(?<year>\d{4})(?<mark>[-/.])(?<first>\d{1,2})\k<mark>(?<second>\d{1,2})(?!\d)/;
const yearLast = /(?<!\d)(?<first>\d{1,2})(?<mark>[-/.])(?<second>\d{1,2})\k<mark>(?<year>\d{4})(?!\d)/;

const patterns: readonly DatePattern[] = [
  {
    pattern: yearFirst,
    format: ({ year, month, day }, sample) => {
      const mark = sample.groups['mark'] ?? '-';
      return [year, pad(month, sample, 'first'), pad(day, sample, 'second')].join(mark);
    },
  },
  {
    pattern: yearLast,
    format: ({ year, month, day }, sample) => {
      const isDayFirst = sample.groups['mark'] !== '/' || dayFirst(sample.headings);
      const [first, second] = isDayFirst ? [day, month] : [month, day];
      return [pad(first, sample, 'first'), pad(second, sample, 'second'), year].join(sample.groups['mark'] ?? '.');
    },
  },
  {
    pattern: new RegExp(
      `(?<!\\d)(?<day>\\d{1,2})(?<suffix>st|nd|rd|th)?(?<gap>[ -])${monthWord}(?<comma>,?)\\k<gap>(?<year>\\d{4})(?!\\d)`,
      'i',
    ),
    format: ({ year, month, day }, sample) => {
      const { gap = ' ', comma = '' } = sample.groups;
      return `${dayText(day, sample)}${gap}${monthText(month, sample)}${comma}${gap}${year}`;
    },
  },
  {
    pattern: new RegExp(`${monthWord} (?<day>\\d{1,2})(?<suffix>st|nd|rd|th)?(?<comma>,?) (?<year>\\d{4})(?!\\d)`, 'i'),
    format: ({ year, month, day }, sample) =>
      `${monthText(month, sample)} ${dayText(day, sample)}${sample.groups['comma'] ?? ''} ${year}`,
  },
  {
    pattern: new RegExp(`${monthWord}(?<comma>,?) (?<year>\\d{4})(?!\\d)`, 'i'),
    format: ({ year, month }, sample) => `${monthText(month, sample)}${sample.groups['comma'] ?? ''} ${year}`,
  },
];

/**
 * Finds the date in a heading.
 * @param headings all headings of the file, which settle what one alone leaves open.
 */
export function findDate(text: string, headings: readonly string[]): FoundDate | null {
  for (const { pattern, format } of patterns) {
    const match = pattern.exec(text);
    if (match === null) continue;
    const groups = match.groups ?? {};
    return {
      start: match.index,
      end: match.index + match[0].length,
      format: (date) => format(date, { groups, headings }),
    };
  }
  return null;
}

function pad(value: number, { groups, headings }: Sample, name: string): string {
  // Of dates only: the numbers of a version are never padded.
  const dates = headings.map((text) => (yearFirst.exec(text) ?? yearLast.exec(text))?.groups ?? {});
  const samples = [groups[name] ?? '', ...dates.flatMap(({ first = '', second = '' }) => [first, second])];
  const isPadded = !samples.some((sample) => sample.length === 1);
  return isPadded ? String(value).padStart(2, '0') : String(value);
}

/** Whether the first of two numbers is the day: one of the headings has a month that is none otherwise. */
function dayFirst(headings: readonly string[]): boolean {
  return headings.some((text) => {
    const [, first = '', second = ''] = /(?<!\d)(\d{1,2})\/(\d{1,2})\/\d{4}/.exec(text) ?? [];
    return Number(first) > 12 && Number(second) <= 12;
  });
}

function dayText(day: number, { groups }: Sample): string {
  const text = groups['day']?.startsWith('0') === true ? String(day).padStart(2, '0') : String(day);
  if (groups['suffix'] === undefined) return text;
  const ending =
    day % 10 === 1 && day !== 11
      ? 'st'
      : day % 10 === 2 && day !== 12
        ? 'nd'
        : day % 10 === 3 && day !== 13
          ? 'rd'
          : 'th';
  return text + ending;
}

function monthText(month: number, { groups, headings }: Sample): string {
  const name = months[month - 1] ?? '';
  const sample = groups['month'] ?? '';
  const dot = groups['dot'] ?? '';
  // May is its own short form; other headings tell which is meant.
  const isLong =
    sample.length > 4 ||
    (/^may$/i.test(sample) && headings.some((text) => months.some((long) => long !== 'May' && text.includes(long))));
  return `${isLong ? name : name.slice(0, 3)}${dot}`;
}

/** The date of an ISO text such as 2026-11-28. */
export function datePartsOf(iso: string): DateParts {
  const [year = 0, month = 0, day = 0] = iso.split('-').map(Number);
  return { year, month, day };
}
