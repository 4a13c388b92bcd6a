import { selectByRules } from '../../contents/select.ts';
import { helperEntries } from '../helper.ts';
import type { FormInput, Layout } from '../layout.ts';
import { fillPlaceholders } from '../placeholder.ts';
import { plannedFile } from '../plan.ts';

/** What is selected below one folder with name and version, as a gzipped tar. The commit is its comment, as git writes it. */
export const tarGz: Layout = plainArchive('tar.gz');

/** The same as a zip archive (APPNOTE.TXT 6.3.10). */
export const zip: Layout = plainArchive('zip');

function plainArchive(container: 'tar.gz' | 'zip'): Layout {
  return {
    select: async ({ files, packageName }) =>
      selectByRules(files, [{ from: '.', to: null, as: null, only: [], except: [], mode: null }], packageName),
    plan: async (input, staged) => {
      const stem = stemOf(input);
      const helpers = await helperEntries(input, staged);
      const entries = [...staged.map((staged) => plannedFile(staged)), ...helpers].map((entry) => ({
        ...entry,
        path: input.artifact.top === 'none' ? entry.path : `${stem}/${entry.path}`,
      }));
      return {
        fileName: archiveName(input, `${stem}.${container}`),
        container,
        entries,
        comment: input.commit,
        metadata: '',
      };
    },
  };
}

/** The top folder of an archive: name, version, and the platform where there is one. */
export function stemOf(input: FormInput): string {
  return fillPlaceholders(input.platform === null ? '{package}-{version}' : '{package}-{version}-{platform}', input);
}

/** The archive's name: the configured one with its placeholders filled, or the usual one. */
export function archiveName(input: FormInput, usual: string): string {
  return input.artifact.name === null ? usual : fillPlaceholders(input.artifact.name, input);
}
