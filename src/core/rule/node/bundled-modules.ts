import { filesIn, insidePath } from '../../form/artifact.ts';
import { formatBytes } from '../../text/bytes.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const bundledModules: Rule = {
  id: 'node/bundled-modules',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Packages in node_modules are bundled on purpose only',
  why: 'Users get copies that no update reaches, beside those that their client installs',
  fix: 'Leave node_modules out, or list the packages under `bundleDependencies`',
  example: 'node_modules/harmonics/index.js, and no bundleDependencies',
  check: (artifact) => {
    const json = artifact.manifest?.json ?? {};
    const listed = json['bundleDependencies'] ?? json['bundledDependencies'];
    // With some of them on the list, the client has put in what those need.
    const isOnPurpose = listed === true || (Array.isArray(listed) && listed.length > 0);
    const files = filesIn(artifact).map((file) => ({ ...file, inside: insidePath(file.path, artifact.prefix) }));
    const top = isOnPurpose ? [] : files.filter(({ inside }) => inside.startsWith('node_modules/'));
    const deep = files.filter(({ inside }) => /\/node_modules\//.test(inside) && !inside.startsWith('node_modules/'));
    return [...about(top), ...about(deep).map((finding) => ({ ...finding, severity: 'warn' as const }))];
  },
};

function about(files: readonly { readonly path: string; readonly sizeBytes: number }[]): RawFinding[] {
  const [first] = files;
  if (first === undefined) return [];
  const size = formatBytes(files.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0));
  const others = files.length === 1 ? '' : ` and ${files.length - 1} more files`;
  return [{ path: first.path, message: `this${others} come from node_modules, ${size} in all` }];
}
