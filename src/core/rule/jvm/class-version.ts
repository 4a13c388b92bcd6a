import { shownText } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const classVersion: Rule = {
  id: 'jvm/class-version',
  forms: ['jar'],
  severity: 'refuse',
  what: 'Every class runs on the oldest supported Java version',
  why: 'An older JVM fails at the first newer class, often long after startup',
  fix: 'Compile with --release, or raise `verify.java`',
  example: 'Build-Jdk-Spec: 11 is declared by `verify.java: 11`, and a class for Java 17 is inside',
  check: ({ binaries, manifest }, { java }) => {
    const declared = java ?? declaredJava(manifest?.json ?? {});
    const found = new Map<number, { path: string; count: number }>();
    for (const [path, kind] of binaries) {
      if (kind.type !== 'classes' || /(?:^|\/)module-info\.class$/.test(path)) continue;
      const versioned = Number(/^META-INF\/versions\/(\d+)\//.exec(path)?.[1] ?? 0);
      // JVMS §4.1, table 4.1-A: class files 44 plus n are of Java n.
      const needs = kind.major - 44;
      const limit = versioned > 0 ? Math.max(versioned, declared ?? 0) : declared;
      if (limit === null || needs <= limit) continue;
      const known = found.get(needs);
      found.set(needs, { path: known?.path ?? path, count: (known?.count ?? 0) + 1 });
    }
    return [...found].map(
      ([needs, { path, count }]): RawFinding => ({
        path,
        message: `${count === 1 ? 'it needs' : `this and ${count - 1} more need`} Java ${needs}, and the jar is for Java ${declared ?? 'less'}`,
      }),
    );
  },
};

/** What a manifest says it runs on: `Require-Capability` of OSGi, or the launcher's own attribute. */
function declaredJava(json: Readonly<Record<string, unknown>>): number | null {
  const required = /osgi\.ee;filter:="\(&\(osgi\.ee=JavaSE\)\(version=(?:1\.)?(\d+)(?:\.0)?\)\)"/.exec(
    shownText(json['Require-Capability'] ?? ''),
  )?.[1];
  return required === undefined ? null : Number(required);
}
