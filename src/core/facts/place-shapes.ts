import { quotePattern } from '../text/quote-pattern.ts';
import type { Shape } from './shape.ts';

/** Users and machines that texts use as examples. */
const exampleUser =
  /^(?:user\d*|users|username|you|your|yourname|your-name|name|me|my|myname|myuser|someone|somebody|foo|bar|baz|alice|bob|carol|fred|bill|john|jane|jdoe|johndoe|doe|joe|test|tester|example|demo|admin|node|app|web|www|public|shared|default|guest|home|dev|developer|xxx|\w)$/i;

const generic = (anchor: string, pattern: RegExp): Shape => ({
  kind: 'place',
  anchor,
  before: anchor.startsWith(':') ? 1 : 0,
  pattern,
  what: ([text]) => text,
  // A comment in a source may talk about any folder.
  isReal: (match, line) => !exampleUser.test(match[1] ?? '') && !/^\s*(?:\*|\/\/|\/\*|#)/.test(line),
});

/** Places on a machine: this machine's own for certain, and what home folders look like anywhere. */
export function placeShapes(own: readonly string[]): Shape[] {
  return [
    ...own.map(
      (place): Shape => ({
        kind: 'own-place',
        anchor: place,
        before: 0,
        // A place that ends with a hyphen is the beginning of a name.
        pattern: new RegExp(place.endsWith('-') ? `^${quotePattern(place)}\\w+` : `^${quotePattern(place)}(?![\\w.-])`),
        what: place,
      }),
    ),
    generic('/home/', /^\/home\/([a-z_][\w.-]{0,31})\/[\w.@-]+(?:\/[\w.@-]+)*/),
    generic('/Users/', /^\/Users\/([A-Za-z][\w.-]{0,31})\/[\w.@-]+(?:\/[\w.@-]+)*/),
    generic(':\\', /^[A-Za-z]:\\\\?Users\\\\?([A-Za-z][\w.-]{0,31})\\\\?[\w.@-]+/),
  ];
}
