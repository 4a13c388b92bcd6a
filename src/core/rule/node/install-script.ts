import { objectOf, shownText } from '../../manifest/fields.ts';
import type { Rule } from '../rule.ts';

const runAtInstall = ['preinstall', 'install', 'postinstall'];

export const installScript: Rule = {
  id: 'node/install-script',
  forms: ['npm-tarball'],
  severity: 'warn',
  what: 'The package has no install-time scripts',
  why: 'Install-time scripts are the most common attack path, and many users disable them',
  fix: 'Do the work at build time or at first use; if it must stay, document it in the readme',
  example: '"postinstall": "node setup.js"',
  check: ({ manifest, entries, prefix }) => {
    if (manifest === null) return [];
    const scripts = objectOf(manifest.json['scripts']);
    const named = runAtInstall
      .filter((name) => typeof scripts[name] === 'string')
      .map((name) => ({
        path: manifest.path,
        message: `\`scripts.${name}\` runs at every install: ${shownText(scripts[name])}`,
      }));
    // The client compiles such a file at install even when no script says so.
    const native = entries.some(({ path }) => path === `${prefix}binding.gyp`) && scripts['install'] === undefined;
    return native ? [...named, { path: `${prefix}binding.gyp`, message: 'it is compiled at every install' }] : named;
  },
};
