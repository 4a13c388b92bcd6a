import { access, type JvmClass, type JvmMember } from './class-file.ts';

/** A class and where its names begin. */
export class JvmLibrary {
  readonly classes: ReadonlyMap<string, JvmClass>;

  constructor(classes: readonly JvmClass[]) {
    this.classes = new Map(classes.map((cls) => [cls.name, cls]));
  }

  /** Whether users outside can name it: public, and so is all around it. */
  isPublic(cls: JvmClass, steps = 32): boolean {
    if ((cls.access & (access.public | access.protected)) === 0 || (cls.access & access.synthetic) !== 0) return false;
    if (cls.nesting === null) return true;
    const outer = cls.nesting.outer === null ? undefined : this.classes.get(cls.nesting.outer);
    if (outer === undefined || steps === 0 || !this.isPublic(outer, steps - 1)) return false;
    return (cls.access & access.public) !== 0 || isExtendable(outer);
  }

  /** Super classes and interfaces, all of them; `foreign` are those that are not inside. */
  above(cls: JvmClass): {
    readonly own: readonly JvmClass[];
    readonly names: ReadonlySet<string>;
    readonly foreign: readonly string[];
  } {
    const own: JvmClass[] = [];
    const names = new Set<string>();
    const foreign: string[] = [];
    const open = [cls];
    for (let next = open.shift(); next !== undefined; next = open.shift())
      for (const name of [next.superName, ...next.interfaces]) {
        if (name === null || names.has(name)) continue;
        names.add(name);
        const found = this.classes.get(name);
        if (found === undefined) foreign.push(name);
        else {
          own.push(found);
          open.push(found);
        }
      }
    return { own, names, foreign };
  }

  /** A member that users of a class find, its own or inherited (JVMS §5.4.3). */
  find(cls: JvmClass, wanted: Pick<JvmMember, 'kind' | 'name' | 'descriptor'>): JvmMember | null {
    const isConstructor = wanted.name === '<init>';
    for (const candidate of isConstructor ? [cls] : [cls, ...this.above(cls).own]) {
      const found = candidate.members.find(
        ({ kind, name, descriptor, access: flags }) =>
          kind === wanted.kind &&
          name === wanted.name &&
          descriptor === wanted.descriptor &&
          (flags & (access.public | access.protected)) !== 0,
      );
      if (found !== undefined) return found;
    }
    return null;
  }

  /** Whether an exception is of a kind that a name stands for: as far as class files and names of the platform tell. */
  isKindOf(name: string, kind: string): boolean {
    if (name === kind || topExceptions.includes(kind)) return true;
    if (kind === 'java/io/IOException' && /^java\/(?:io|net)\/(?!Unchecked|URISyntax)\w*Exception$/.test(name))
      return true;
    const found = this.classes.get(name);
    const above = found === undefined ? null : this.above(found);
    return above !== null && (above.names.has(kind) || above.foreign.some((other) => this.isKindOf(other, kind)));
  }

  /** Whether an exception must be caught or declared (JLS 17, §11.1.1); null where that is not known. */
  isChecked(name: string, steps = 32): boolean | null {
    if (unchecked.test(name)) return false;
    if (checked.test(name)) return true;
    const found = this.classes.get(name);
    return found?.superName == null || steps === 0 ? null : this.isChecked(found.superName, steps - 1);
  }
}

/** Above every exception. */
const topExceptions = ['java/lang/Exception', 'java/lang/Throwable'];

const unchecked =
  /^java\/lang\/(?:RuntimeException|Error|\w*(?:Argument|State|Pointer|Operation|Bounds|Arithmetic|Cast|Format|Security|Store|Size|Monitor)\w*Exception|\w+Error)$|^java\/util\/(?:NoSuchElement|ConcurrentModification|InputMismatch|MissingResource|EmptyStack)Exception$|^java\/io\/UncheckedIOException$|^java\/nio\/charset\/(?:Unsupported|Illegal)Charset\w*Exception$|^java\/time\/DateTimeException$/;
const checked =
  /^java\/(?:lang\/(?:Exception|Throwable|InterruptedException|CloneNotSupportedException|ReflectiveOperationException|ClassNotFoundException|NoSuchMethodException|NoSuchFieldException|IllegalAccessException|InstantiationException)|io\/(?!Unchecked)\w*Exception|net\/\w*Exception|sql\/\w*Exception|text\/ParseException|util\/concurrent\/(?:Execution|Timeout)Exception|security\/(?:\w+\/)?(?!ProviderException|InvalidParameterException)\w*Exception)$/;

/** Whether users can have classes of their own below it (JLS 17, §8.1.1, §8.8.10). */
export function isExtendable(cls: JvmClass): boolean {
  if ((cls.access & access.final) !== 0 || cls.permitted !== null) return false;
  if ((cls.access & access.interface) !== 0) return true;
  return cls.members.some(
    ({ name, access: flags }) => name === '<init>' && (flags & (access.public | access.protected)) !== 0,
  );
}

/** Members that users outside can name; protected ones only where they can extend the class. */
export function publicMembers(cls: JvmClass): JvmMember[] {
  const wanted = isExtendable(cls) ? access.public | access.protected : access.public;
  return cls.members.filter(
    ({ name, access: flags }) => (flags & wanted) !== 0 && (flags & access.synthetic) === 0 && name !== '<clinit>',
  );
}
