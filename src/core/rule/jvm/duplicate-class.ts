import type { RawFinding, Rule } from '../rule.ts';

export const duplicateClass: Rule = {
  id: 'jvm/duplicate-class',
  forms: ['jar'],
  severity: 'warn',
  what: 'Every class lies once in a jar, at the place its name says',
  why: 'A class at another place is never found, and of two with one name a loader takes whichever comes first',
  fix: 'Correct the `files` rule that takes the classes, or the shading of dependencies',
  example: 'classes/example/fenmarsh/Tide.class, whose name is example/fenmarsh/Tide',
  check: ({ facts }) => {
    const places = new Map<string, string>();
    return [...facts.classNames].flatMap(([path, name]): RawFinding[] => {
      if (name === null || /^META-INF\/versions\//.test(path)) return [];
      const other = places.get(name);
      places.set(name, other ?? path);
      if (other !== undefined) return [{ path, message: `the class ${name} is in ${other} too` }];
      if (path === `${name}.class` || !path.endsWith(`/${name}.class`))
        return path === `${name}.class` ? [] : [{ path, message: `it is the class ${name}` }];
      // Applications that bring a loader of their own keep classes below a folder.
      return /^(?:BOOT-INF|WEB-INF|APP-INF)\//.test(path)
        ? []
        : [{ path, message: `the class ${name} is not found below ${path.slice(0, -name.length - 6)}` }];
    });
  },
};
