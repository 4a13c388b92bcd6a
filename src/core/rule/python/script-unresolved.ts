import { parseEntryPoints } from '../../manifest/entry-points.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const scriptUnresolved: Rule = {
  id: 'python/script-unresolved',
  forms: ['wheel'],
  severity: 'refuse',
  what: 'Every console script and plug-in refers to an existing module and name',
  why: 'The command is installed but fails with an import error',
  fix: 'Correct `[project.scripts]`, or include the module',
  example: 'tide = tidemark.cli:main without tidemark/cli.py',
  check: ({ texts, facts, entries }) => {
    const path = [...texts.keys()].find((key) => /^[^/]+\.dist-info\/entry_points\.txt$/.test(key));
    if (path === undefined) return [];
    const inside = new Set(entries.map((entry) => entry.path.replace(/^[^/]+\.data\/(?:pure|plat)lib\//, '')));
    return parseEntryPoints(texts.get(path) ?? '').flatMap(({ group, name, module, attribute }): RawFinding[] => {
      const base = module.replaceAll('.', '/');
      const candidates = [`${base}.py`, `${base}/__init__.py`];
      const file = candidates.find((candidate) => inside.has(candidate));
      const isScript = group === 'console_scripts' || group === 'gui_scripts';
      const softer = isScript ? {} : { severity: 'warn' as const };
      if (file === undefined) {
        // Machine code and namespaces cannot be looked into; another package's module may be meant.
        const isNative = [...inside].some((name) => name.startsWith(`${base}.`) && /\.(?:so|pyd)$/.test(name));
        const isOwn = [...inside].some(
          (name) => name.startsWith(`${base.split('/')[0]}/`) || name === `${base.split('/')[0]}.py`,
        );
        if (isNative || (!isOwn && !isScript)) return [];
        return [
          {
            path,
            message: `${name} refers to ${module}, which does not exist`,
            ...(isOwn ? softer : { severity: 'warn' as const }),
          },
        ];
      }
      const known = facts.python.get(file);
      const first = attribute.split('.')[0] ?? '';
      if (
        known === undefined ||
        first === '' ||
        known.hasStar ||
        known.names.has(first) ||
        known.names.has('__getattr__')
      )
        return [];
      if (inside.has(`${base}/${first}.py`) || inside.has(`${base}/${first}/__init__.py`)) return [];
      return [
        { path, message: `${name} refers to ${module}:${attribute}, but ${file} does not define ${first}`, ...softer },
      ];
    });
  },
};
