import { parsePackageJson } from '../../manifest/package-json.ts';
import type { Layout } from '../layout.ts';
import { fileNameOf } from '../placeholder.ts';
import { plannedFile } from '../plan.ts';
import { selectForNpm } from './npm-selection.ts';

/** A package for the npm client (its documentation, "package.json" and "npm pack"): everything below `package/`. */
export const npmTarball: Layout = {
  select: async ({ files, manifestPath, read }) => {
    const place = manifestPath ?? 'package.json';
    const ignoreText = (await read('.npmignore')) ?? (await read('.gitignore'));
    const own = files.filter(({ path }) => !path.startsWith('{out}/'));
    return selectForNpm(own, parsePackageJson((await read(place)) ?? '{}', place), ignoreText);
  },
  plan: async ({ manifest, packageName, version }, staged) => ({
    fileName: `${fileNameOf(manifest?.name ?? packageName)}-${version}.tgz`,
    container: 'tar.gz',
    entries: staged.map((staged) => plannedFile(staged, 'package/')),
    comment: null,
    metadata: '',
  }),
};
