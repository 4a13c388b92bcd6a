type Known = { readonly id: string; readonly phrases: readonly RegExp[]; readonly without?: RegExp };

/** Phrases that together stand in one licence only; the texts' own words, white space and quotes folded. */
const known: readonly Known[] = [
  { id: 'Apache-2.0', phrases: [/apache license,? version 2\.0, january 2004/, /grant of patent license/] },
  { id: 'GPL-3.0', phrases: [/gnu general public license version 3, 29 june 2007/] },
  { id: 'AGPL-3.0', phrases: [/gnu affero general public license version 3, 19 november 2007/] },
  { id: 'LGPL-3.0', phrases: [/gnu lesser general public license version 3, 29 june 2007/] },
  { id: 'GPL-2.0', phrases: [/gnu general public license version 2, june 1991/] },
  { id: 'LGPL-2.1', phrases: [/gnu lesser general public license version 2\.1, february 1999/] },
  { id: 'MPL-2.0', phrases: [/mozilla public license,? version 2\.0/, /covered software/] },
  { id: 'CC0-1.0', phrases: [/cc0 1\.0 universal/, /statement of purpose/] },
  { id: 'Unlicense', phrases: [/this is free and unencumbered software released into the public domain/] },
  {
    id: 'BSD-3-Clause',
    phrases: [
      /redistribution and use in source and binary forms/,
      /neither the names? of/,
      /endorse or promote products/,
    ],
  },
  {
    id: 'BSD-2-Clause',
    phrases: [/redistribution and use in source and binary forms/, /redistributions in binary form must reproduce/],
    without: /endorse or promote products/,
  },
  {
    id: 'ISC',
    phrases: [
      /permission to use, copy, modify, and\/?(?:or)? ?distribute this software for any purpose with or without fee is hereby granted/,
      /provided that the above copyright notice/,
    ],
  },
  {
    id: 'MIT',
    phrases: [
      /permission is hereby granted, free of charge, to any person obtaining a copy/,
      /the software is provided "?as is"?/,
      /shall be included in all copies or substantial portions/,
    ],
  },
];

const maxShortParts = 5000;

/** The SPDX identifier of a licence's text; null when it is none of the common ones, or of several. */
export function identifyLicence(text: string): string | null {
  const folded = text
    .toLowerCase()
    .replace(/[“”„'`´*]/g, '"')
    .replace(/[\s#/*>|-]+/g, (gap) => (gap.includes('/') && !/\s/.test(gap) ? gap : ' '));
  const found = known.filter(
    ({ phrases, without }) => phrases.every((phrase) => phrase.test(folded)) && without?.test(folded) !== true,
  );
  // A long file that holds one of the short texts holds others too.
  const [only] = found;
  if (only === undefined || found.length > 1) return null;
  return /^(?:MIT|ISC|BSD)/.test(only.id) && text.length > maxShortParts ? null : only.id;
}
