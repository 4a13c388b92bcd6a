import { objectOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { inside } from '../../manifest/version-place/place.ts';
import { formsOnly, hasInside, type Proposal, type Propose } from '../proposal.ts';

/** Backends that compile: their wheels are made by the backend itself. */
const compiling = /^(?:mesonpy|maturin|scikit_build_core\.build|setuptools_rust|pybind11\.setup_helpers)/;

/** A pure package with a `[project]` table is packed by Bevelstone; others are built by their own backend and taken as they are. */
export const proposePython: Propose = async (search) => {
  const file = inside(search.folder, 'pyproject.toml');
  const text = await search.read(file);
  const document = text === null ? {} : parseToml(text, file);
  const backend = textOf(objectOf(document['build-system'])['build-backend']) ?? '';
  const setup = (await search.read(inside(search.folder, 'setup.py'))) ?? '';
  const hasTable = textOf(objectOf(document['project'])['name']) !== null;
  if (compiling.test(backend) || /\b(?:ext_modules|Extension)\b/.test(setup))
    return brought(`${backend || 'setup.py'} compiles extension modules`);
  if (!hasTable) return brought(`there is no [project] table, so ${backend || 'the build backend'} makes the files`);
  const notes = hasModules(search)
    ? []
    : ['no module is called like the project: add `files` to the wheel, from the folder that holds the modules'];
  return formsOnly(['wheel', 'sdist'], notes);
};

function brought(why: string): Proposal {
  return {
    tools: ['python3'],
    build: [{ run: 'python3 -m build', why: `${why}; needs the module "build"` }],
    platforms: [],
    artifacts: ['{ form: wheel, brought: "dist/*.whl" }', '{ form: sdist, brought: "dist/*.tar.gz" }'],
    notes: [],
  };
}

function hasModules(search: Parameters<Propose>[0]): boolean {
  const name = search.name.replace(/[-.]+/g, '_').toLowerCase();
  return hasInside(search, 'src') || hasInside(search, name) || hasInside(search, `${name}.py`);
}
