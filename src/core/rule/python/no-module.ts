import { filesIn } from '../../form/artifact.ts';
import type { Rule } from '../rule.ts';

export const noModule: Rule = {
  id: 'python/no-module',
  forms: ['wheel'],
  severity: 'warn',
  what: 'A wheel contains modules, data or scripts, not requirements alone',
  why: 'A build that finds no package packs an empty wheel without an error',
  fix: 'Name the packages in the build configuration; if it is meant to bring others only, turn this rule off',
  example: 'tidemark_py-1.4.0.dist-info and nothing else',
  check: (artifact) =>
    (artifact.manifest?.common.dependencies.length ?? 0) > 0 &&
    filesIn(artifact).every(({ path }) => /^[^/]+\.dist-info\//.test(path))
      ? [{ path: null, message: 'it has requirements, and no module' }]
      : [],
};
