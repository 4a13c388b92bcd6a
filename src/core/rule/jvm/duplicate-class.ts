import type { RawFinding, Rule } from '../rule.ts';

export const duplicateClass: Rule = {
  id: 'jvm/duplicate-class',
  forms: ['jar'],
  severity: 'warn',
  what: 'Every class is in the jar once, at the path that matches its name',
  why: 'A class at another path is never found, and of two with the same name the loader uses the first',
  fix: 'Correct the `files` rule for the classes, or the shading of dependencies',
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
