import type { EcosystemDefinition } from '../definition.ts';
import { pythonRangeTakes, raisePythonRange } from './ranges.ts';

/** Packages for Python. */
export const python: EcosystemDefinition = {
  title: 'Python packages',
  manifests: [
    { file: 'pyproject.toml', load: async () => (await import('../../manifest/pyproject-toml.ts')).pyprojectFormat },
    { file: 'setup.cfg', load: async () => (await import('../../manifest/old-python.ts')).setupCfgFormat },
    { file: 'setup.py', load: async () => (await import('../../manifest/old-python.ts')).setupPyFormat },
  ],
  scheme: 'python',
  shownScheme: 'python',
  ranges: {
    takes: (range, _last, version) => pythonRangeTakes(range, version),
    raise: raisePythonRange,
    isWorkspaceRange: () => false,
  },
  purlType: 'pypi',
  usualTest: 'python3 -m unittest',
  shortName: (name) => name,
  usualForms: ['wheel', 'sdist'],
  limits: [],
  propose: async () => (await import('./propose.ts')).proposePython,
  usualDestination: { speaks: 'python-index', path: 'python/' },
  client: 'pip',
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/python.ts')).findPythonPlaces,
  // A file that only sets up tools says nothing of a package.
  isPrivate: (text) => /^\[tool\./m.test(text) && !/^\[(?:project|tool\.poetry|build-system|metadata)\]/m.test(text),
  forbids: (text) => {
    const classifier = /["'](Private ::[^"'\n]*)["']/.exec(text)?.[1];
    return classifier === undefined ? null : `its classifier is "${classifier}"`;
  },
};
