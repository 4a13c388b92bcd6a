import type { RawFinding, Rule } from '../rule.ts';

export const browserBuiltIn: Rule = {
  id: 'node/browser-built-in',
  forms: ['npm-tarball'],
  severity: 'refuse',
  needsInstall: true,
  what: 'No browser entry imports a Node.js module, directly or through dependencies',
  why: 'Browsers do not have these modules: bundling fails, or the page does',
  fix: 'Give the last file of the chain its own `browser` condition, or use another dependency',
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
        message: `${name}, imported by ${askedBy} for browsers, was not checked: it is not one of the artifacts that are verified together`,
        fix: 'Verify its archive along with this one; a rehearsal looks into it too, as every release does: bevelstone rehearse',
        severity: 'note',
      }),
    );
    return [...chains, ...unread];
  },
};
