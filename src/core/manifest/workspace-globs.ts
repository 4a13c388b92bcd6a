import { objectOf, textOf } from './fields.ts';
import { parsePackageJson } from './package-json.ts';
import { parseToml } from './toml.ts';
import { parseYaml } from './yaml.ts';

/** Globs of folders, from the folder of the file that names them. */
export type WorkspaceGlobs = { readonly include: readonly string[]; readonly exclude: readonly string[] };

/** The folders that belong to a workspace of a package manager; none for a file that makes no workspace. */
export function workspaceGlobs(name: string, text: string, file: string): WorkspaceGlobs {
  if (name === 'package.json') {
    const { workspaces } = parsePackageJson(text, file);
    return split(Array.isArray(workspaces) ? workspaces : objectOf(workspaces)['packages']);
  }
  if (name === 'pnpm-workspace.yaml') return split(objectOf(parseYaml(text, file))['packages']);
  const workspace = objectOf(parseToml(text, file)['workspace']);
  return { include: split(workspace['members']).include, exclude: split(workspace['exclude']).include };
}

/** Globs that begin with `!` leave folders out. */
function split(value: unknown): WorkspaceGlobs {
  const list = Array.isArray(value) ? value.flatMap((item) => textOf(item) ?? []) : [];
  const plain = (glob: string) => glob.replace(/^!/, '').replace(/^\.\//, '').replace(/\/$/, '');
  return {
    include: list.filter((glob) => !glob.startsWith('!')).map(plain),
    exclude: list.filter((glob) => glob.startsWith('!')).map(plain),
  };
}
