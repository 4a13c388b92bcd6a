import type { RawFinding, Rule } from '../rule.ts';

export const browserBuiltIn: Rule = {
  id: 'node/browser-built-in',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'No entry for browsers reaches a module of Node.js, through its own files or through its dependencies',
  why: 'A browser has no such module: bundling fails, or the page does, for every user who is not on a server',
  fix: 'Give the last file of the chain a `browser` condition of its own, or take another dependency',
  example: 'dist/browser.js > tide-store/index.js > tide-cache/disk.js > node:fs',
  check: ({ manifest, prefix }, { browser }) => {
    if (browser === null) return [];
    const chains = browser.chains.map(
      ({ entry, steps, builtIn, isLate }): RawFinding => ({
        path: `${prefix}${steps[0] ?? ''}`,
        message: `the browser entry ${entry} reaches ${builtIn}: ${steps.join(' > ')}`,
        ...(isLate ? { severity: 'warn' as const } : {}),
      }),
    );
    const unread = browser.unread.map(
      ({ name, askedBy }): RawFinding => ({
        path: manifest?.path ?? null,
        message: `${name}, which ${askedBy} imports for browsers, is not installed here and was not checked`,
        fix: 'Install the dependencies, or verify its archive along with this one, to have it looked into',
        severity: 'note',
      }),
    );
    return [...chains, ...unread];
  },
};
