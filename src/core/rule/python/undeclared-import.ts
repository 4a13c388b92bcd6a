import { filesIn } from '../../form/artifact.ts';
import { pythonLibrary } from '../../surface/python-library.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const undeclaredPythonImport: Rule = {
  id: 'python/undeclared-import',
  forms: ['wheel'],
  severity: 'warn',
  what: 'Top-level imports come from Python itself, the package, or a declared dependency',
  why: 'It only works where something else happens to install the module',
  fix: 'Add the project that contains it to `dependencies`',
  example: 'import harmonics in tidemark/table.py without a dependency that contains it',
  check: (artifact) => {
    const { facts, manifest } = artifact;
    if (manifest === null) return [];
    const inside = new Set(
      filesIn(artifact).map(({ path }) =>
        (path.replace(/^[^/]+\.data\/(?:pure|plat)lib\//, '').split('/')[0] ?? '').replace(/\..*$/, ''),
      ),
    );
    const declared = manifest.common.dependencies.map(({ name }) => plain(name));
    const foreign = new Map<string, RawFinding>();
    const explained = new Set<string>();
    for (const [path, { imports }] of facts.python) {
      if (/(?:^|\/)(?:tests?|conftest|docs?|examples?|_vendor|vendored?)(?:\/|\.py$)/.test(path)) continue;
      for (const { module, line } of imports) {
        if (pythonLibrary.has(module) || inside.has(module) || module.startsWith('_')) continue;
        const by = declared.find((name) => isAlike(name, plain(module)));
        if (by !== undefined) explained.add(by);
        else if (!foreign.has(module))
          foreign.set(module, {
            path,
            message: `line ${line} imports ${module}, which matches no declared dependency`,
          });
      }
    }
    // A project may bring modules of any name: where one is left that explains nothing yet, it may be that one.
    const unexplained = new Set(declared.filter((name) => !explained.has(name)));
    return unexplained.size > 0 ? [] : [...foreign.values()];
  },
};

function plain(name: string): string {
  return name.toLowerCase().replace(/[-_.]/g, '');
}

function isAlike(project: string, module: string): boolean {
  return (
    project === module ||
    (module.length >= 3 && project.includes(module)) ||
    (project.length >= 3 && module.includes(project))
  );
}
