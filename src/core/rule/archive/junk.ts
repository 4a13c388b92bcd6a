import { filesIn, insidePath } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { anyOf } from '../../text/any-of.ts';
import { quotePattern } from '../../text/quote-pattern.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

type Junk = { readonly pattern: RegExp; readonly what: string };

const kinds: readonly Junk[] = [
  {
    pattern: /(?:^|\/)(?:\.DS_Store|\._[^/]+|__MACOSX\/.*|Thumbs\.db|desktop\.ini|\.directory|\.Trash[^/]*\/.*)$/i,
    what: 'a file manager left it',
  },
  {
    pattern:
      /(?:^|\/)(?:[^/]+\.sw[op]|[^/]+~|#[^/]+#|\.#[^/]+|[^/]+\.(?:bak|orig|rej)|\.idea\/.*|\.vscode\/.*|\.vs\/.*|[^/]+\.(?:iml|sublime-workspace))$/,
    what: 'an editor or a merge left it',
  },
  {
    pattern: /(?:^|\/)(?:\.git\/.*|\.hg\/.*|\.svn\/.*|CVS\/(?:Entries|Root|Repository)|\.bzr\/.*)$/,
    what: 'it is part of a version-control folder',
  },
  {
    pattern:
      /(?:^|\/)(?:__pycache__\/.*|[^/]+\.py[co]|\.pytest_cache\/.*|\.mypy_cache\/.*|\.ruff_cache\/.*|\.tox\/.*|[^/]+\.egg-info\/SOURCES\.txt~?)$/,
    what: 'it is a cache of Python',
  },
  {
    pattern:
      /(?:^|\/)(?:\.nyc_output\/.*|\.cache\/.*|\.eslintcache|[^/]+\.tsbuildinfo|npm-debug\.log[^/]*|yarn-error\.log|\.coverage)$/,
    what: 'it is a log or a cache',
  },
  {
    pattern: /(?:^|\/)(?:core\.\d+|[^/]+\.(?:hprof|mdmp|stackdump|heapsnapshot))$/,
    what: 'it is the memory of a program',
  },
  {
    pattern: /(?:^|\/)[^/]+\.(?:sqlite3?|sqlitedb|db3)(?:-wal|-journal|-shm)?$/i,
    what: 'it is a database with what a machine kept in it',
  },
];

/** Whether any of them can be meant. */
const any = anyOf(kinds.map(({ pattern }) => pattern));

export const junk: Rule = {
  id: 'archive/junk',
  forms: allForms,
  severity: 'warn',
  what: 'No files of editors, operating systems, caches or version control, and no older copies of the package',
  why: 'They make the package larger, reveal details of the build machine, and may contain deleted data',
  fix: 'Leave it out: `except` in a `files` rule, or the ignore list of the manifest',
  example: '.DS_Store, lib/tide.js.orig, tidemark-1.3.2.tgz inside tidemark-1.4.0.tgz',
  check: (artifact) => {
    const { prefix, manifest, form } = artifact;
    const name =
      manifest?.common.name
        ?.split(/[/:]/)
        .at(-1)
        ?.replace(/[^\w]+/g, '.') ?? null;
    const isSelf =
      name === null
        ? null
        : new RegExp(`(?:^|/)${quotePattern(name)}-v?\\d[^/]*\\.(?:tgz|tar\\.gz|whl|zip|jar|nupkg|deb)$`, 'i');
    return filesIn(artifact).flatMap(({ path }): RawFinding[] => {
      const inside = insidePath(path, prefix);
      if (isSelf?.test(inside.replace(/[_-]/g, (mark) => (mark === '_' ? '.' : mark))) === true)
        return [{ path, message: 'it is an archive of this package' }];
      if (formDefinitions[form].isOwnFile(inside)) return [];
      if (!any.test(inside)) return [];
      const found = kinds.find(({ pattern }) => pattern.test(inside));
      return found === undefined ? [] : [{ path, message: found.what }];
    });
  },
};
