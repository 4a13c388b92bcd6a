import { compareBytes } from '../../contents/entry.ts';
import { type Candidate, plainMode, type Staged } from '../../contents/select.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { offerProjectTable } from '../../manifest/old-python.ts';
import { type PythonProject, parsePythonProject } from '../../manifest/python-project.ts';
import { globMatcher } from '../../text/glob.ts';
import { type FormInput, spelt } from '../layout.ts';
import { formatCoreMetadata } from './core-metadata.ts';

/** What wheel and sdist share. */
export type PythonParts = {
  readonly project: PythonProject;
  readonly version: string;
  /** `name-version` as file names have it (PEP 427 "Escaping", PEP 625). */
  readonly stem: string;
  readonly metadata: string;
  /** Licence files of the package's folder, sorted. */
  readonly licences: readonly Candidate[];
};

const usualLicences = ['LICEN[CS]E*', 'COPYING*', 'NOTICE*', 'AUTHORS*'];

/**
 * Reads the project and writes its core metadata.
 * @throws PROJECT_TABLE_MISSING with the table that an older manifest amounts to, CONTENTS_NO_MATCH for a licence file or
 * readme that is not there.
 */
export async function readPython(input: FormInput): Promise<PythonParts> {
  const text = await input.read('pyproject.toml');
  if (text === null || !/^\s*\[project\]/m.test(text)) throw await tableMissing(input);
  const project = parsePythonProject(text, 'pyproject.toml');
  const version = spelt(input, 'python');
  const stem = `${distributionName(project.name)}-${version}`;
  const licences = findLicences(project, input);
  const readme = await readReadme(project, input);
  const licenceFiles = licences.map(({ path }) => path);
  const metadata = formatCoreMetadata({ project, version, readme, licenceFiles });
  return { project, version, stem, metadata, licences };
}

/** A project's name inside file names: normalised, with `_` (PEP 427, PEP 625). */
export function distributionName(name: string): string {
  return normaliseName(name).replaceAll('-', '_');
}

/**
 * The import packages and modules of a project, at their places in `site-packages`: everything below `src/`, else the folder
 * or the module that is called like the project.
 * @throws CONTENTS_NO_MATCH when there is neither.
 */
export function selectModules(project: PythonProject, files: readonly Candidate[], packageName: string): Staged[] {
  const own = files.filter(({ path }) => !isLeftover(path) && !path.startsWith('{out}/'));
  const inSrc = own.filter(({ path }) => /^src\/[^/]+(?:\/|\.pyi?$)/.test(path));
  const name = distributionName(project.name);
  const isNamed = (path: string) => {
    const top = (path.split('/')[0] ?? '').toLowerCase();
    return top === name || (top === path.toLowerCase() && (top === `${name}.py` || top.startsWith(`${name}.`)));
  };
  const chosen = inSrc.length > 0 ? inSrc : own.filter(({ path }) => isNamed(path));
  if (chosen.length === 0) {
    throw new BevelstoneError('CONTENTS_NO_MATCH', {
      message: `${packageName} has no module that goes into its wheel`,
      why: `there is neither a folder src/ with one, nor ${name}/ or ${name}.py`,
      fix: 'List what goes in with `files`',
      where: { file: 'bevelstone.yaml' },
    });
  }
  const base = inSrc.length > 0 ? 'src/'.length : 0;
  return chosen.map((source) => ({ source, path: source.path.slice(base), mode: plainMode(source) }));
}

/** What interpreters and older build tools leave behind. */
export function isLeftover(path: string): boolean {
  return /(?:^|\/)(?:__pycache__|[^/]+\.(?:egg-info|dist-info)|\.tox|\.venv)\/|\.py[co]$/.test(path);
}

function findLicences({ licenceFiles }: PythonProject, { files, packageName }: FormInput): Candidate[] {
  const found = (licenceFiles ?? usualLicences).flatMap((glob) => {
    const isIn = globMatcher([glob]);
    const matches = files.filter(({ path }) => isIn(path));
    if (matches.length === 0 && licenceFiles !== null) throw noLicence(glob, packageName);
    return matches;
  });
  return [...new Set(found)].sort((a, b) => compareBytes(a.path, b.path));
}

async function readReadme({ readme }: PythonProject, { read, packageName }: FormInput): Promise<string | null> {
  if (readme === null) return null;
  if (readme.file === null) return readme.text;
  const text = await read(readme.file);
  if (text !== null) return text;
  throw new BevelstoneError('CONTENTS_NO_MATCH', {
    message: `${packageName} has no file ${readme.file}`,
    why: 'pyproject.toml names it as the readme',
    fix: 'Commit the file, or correct `readme`',
    where: { file: 'pyproject.toml' },
  });
}

/** PEP 639: a pattern that matches nothing is an error. */
function noLicence(glob: string, packageName: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_NO_MATCH', {
    message: `${packageName} has no licence file ${glob}`,
    why: 'pyproject.toml names it in `license-files`',
    fix: 'Commit the file, or correct `license-files`',
    where: { file: 'pyproject.toml' },
  });
}

async function tableMissing({ packageName, read }: FormInput): Promise<BevelstoneError> {
  const offer = offerProjectTable(await read('setup.cfg'), await read('setup.py'));
  return new BevelstoneError('PROJECT_TABLE_MISSING', {
    message: `${packageName} has no [project] table`,
    why: 'a wheel and an sdist are described by pyproject.toml (PEP 621); nothing of setup.py is run',
    fix:
      offer === null
        ? 'Commit a pyproject.toml with a [project] table: name, version, description'
        : `Commit this in pyproject.toml; it is what can be read from the older files:\n${offer}`,
  });
}
