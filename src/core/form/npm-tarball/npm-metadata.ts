import semver from 'semver';
import { objectOf, textOf } from '../../manifest/fields.ts';
import type { MetadataDefinition, PageDefinition } from '../definition.ts';
import { pickLink } from '../traits.ts';

/** The page of a package for the npm client: what begins with readme at the top, Markdown whatever its ending. */
export const npmPage: PageDefinition = {
  readme: ({ readme, prefix }) => ({
    readme:
      readme === null
        ? null
        : { ...readme, format: readme.path.slice(prefix.length).endsWith('.rst') ? 'plain' : 'markdown' },
    problem: null,
  }),
  links: ({ homepage, repository }) =>
    [textOf(homepage), textOf(repository) ?? textOf(objectOf(repository)['url'])].filter((link) => link !== null),
  hasRepositoryPictures: ({ repository }) => repository !== undefined,
};

/** package.json (the npm client's documentation, "package.json"). */
export const npmMetadata: MetadataDefinition = {
  links: ({ homepage, bugs, repository }) => [
    ...pickLink('homepage', homepage),
    ...pickLink('bugs', bugs),
    ...pickLink('bugs.url', objectOf(bugs)['url']),
    ...pickLink('repository', repository),
    ...pickLink('repository.url', objectOf(repository)['url']),
  ],
  namesRepository: ({ repository }) => textOf(repository) !== null || textOf(objectOf(repository)['url']) !== null,
  keywords: ({ keywords }) => (keywords === undefined ? null : Array.isArray(keywords) ? keywords : 'not a list'),
  runtime: ({ engines }) => {
    const range = textOf(objectOf(engines)['node']);
    return { title: 'Node.js', field: '`engines.node`', range, isPossible: range === null || isPossible(range) };
  },
  impossibleRanges: ({ dependencies }) =>
    dependencies.filter(({ range, kind }) => kind !== 'development' && isRange(range) && !isPossible(range)),
  isFreeLicence: () => false,
  hasOldLicence: ({ licenses, license }) => Array.isArray(licenses) || typeof license === 'object',
};

/** Tags, addresses and other registries' names are not ranges. */
function isRange(range: string): boolean {
  return !/^[a-z][a-z0-9+.-]*:|^[a-z][\w-]*$|\//i.test(range) || /^v?\d/.test(range);
}

function isPossible(range: string): boolean {
  if (semver.validRange(range, { loose: true }) === null) return false;
  try {
    return semver.minVersion(range, { loose: true }) !== null;
  } catch {
    return false;
  }
}
