import type { Item } from '../items.ts';
import { access, type JvmClass, type JvmMember } from './class-file.ts';
import { isExtendable, type JvmLibrary, publicMembers } from './jvm-library.ts';
import { javaName, readClassSignature, readFieldType, readMethodType, typeText } from './types.ts';

/** A class, or one of its members; `home` is where the member is declared: the class, or a hidden one above it. */
export type JvmDetail = { readonly cls: JvmClass; readonly member: JvmMember | null; readonly home: JvmClass };

/** Every public class with its members, by package. */
export function listJvmItems(library: JvmLibrary, exported: ReadonlySet<string> | null): Item<JvmDetail>[] {
  const classes = [...library.classes.values()]
    .filter((cls) => library.isPublic(cls) && (exported === null || exported.has(packageOf(cls.name))))
    .sort((a, b) => (a.name < b.name ? -1 : 1));
  return classes.flatMap((cls): Item<JvmDetail>[] => {
    const entry = packageOf(cls.name).replaceAll('/', '.');
    const name = simpleName(cls.name);
    const place = { file: cls.file, line: null };
    const own: Item<JvmDetail> = {
      ...{ entry, name, key: name, owner: null, place },
      kind: kindOf(cls),
      signature: classText(cls),
      detail: { cls, member: null, home: cls },
    };
    return [own, ...membersOf(cls, library).map(({ home, member }) => memberItem(own, home, member))];
  });
}

type Member = { readonly home: JvmClass; readonly member: JvmMember };

/** What users can name of a class: its own members, and those of hidden classes above it, of which nothing else is shown. */
function membersOf(cls: JvmClass, library: JvmLibrary): Member[] {
  const found = new Map<string, Member>();
  for (const member of publicMembers(cls)) found.set(keyOf(member), { home: cls, member });
  const isWanted = ({ name, access: flags }: JvmMember) =>
    name !== '<init>' && ((flags & access.public) !== 0 || isExtendable(cls));
  for (const home of library.above(cls).own.filter((above) => !library.isPublic(above)))
    for (const member of publicMembers(home).filter(isWanted))
      if (!found.has(keyOf(member))) found.set(keyOf(member), { home, member });
  return [...found.values()];
}

/** The result is not part of it: with another one, it is a changed method and not a new one. */
const keyOf = ({ kind, name, descriptor }: JvmMember) =>
  `${name}${kind === 'field' ? ':' : (/^\(.*\)/.exec(descriptor)?.[0] ?? '')}`;

function memberItem(owner: Item<JvmDetail>, home: JvmClass, member: JvmMember): Item<JvmDetail> {
  const isConstructor = member.name === '<init>';
  const parameters = member.kind === 'field' ? '' : `(${parametersText(home, member)})`;
  return {
    entry: owner.entry,
    owner: owner.key,
    name: `${owner.name}${isConstructor ? '' : `.${member.name}`}${parameters}`,
    key: `${owner.key}.${keyOf(member)}`,
    kind: isConstructor ? 'constructor' : member.kind,
    signature: memberText(home, member),
    place: { file: home.file, line: null },
    detail: { cls: owner.detail.cls, member, home },
  };
}

export const packageOf = (name: string) => name.slice(0, Math.max(0, name.lastIndexOf('/')));
const simpleName = (name: string) => name.slice(name.lastIndexOf('/') + 1).replace(/(?<=.)\$(?=.)/g, '.');

/** What a class is declared as. */
export function kindOf({
  access: flags,
  superName,
}: JvmClass): 'class' | 'interface' | 'annotation' | 'enum' | 'record' {
  if ((flags & access.annotation) !== 0) return 'annotation';
  if ((flags & access.interface) !== 0) return 'interface';
  if ((flags & access.enum) !== 0) return 'enum';
  return superName === 'java/lang/Record' ? 'record' : 'class';
}

function classText(cls: JvmClass): string {
  const kind = kindOf(cls);
  const marks = [
    (cls.access & access.abstract) !== 0 && kind === 'class' ? 'abstract' : '',
    (cls.access & access.final) !== 0 && kind === 'class' ? 'final' : '',
    cls.permitted === null ? '' : 'sealed',
    kind,
  ];
  const isPlain = cls.superName === null || /^java\/lang\/(?:Object|Record|Enum)$/.test(cls.superName);
  const above = kind === 'annotation' ? [] : cls.interfaces.map(javaName);
  const parts = [
    ...marks.filter((mark) => mark !== ''),
    simpleName(cls.name) + typeParametersText(cls.signature),
    ...(isPlain ? [] : ['extends', javaName(cls.superName ?? '')]),
    ...(above.length === 0 ? [] : [kind === 'interface' ? 'extends' : 'implements', above.join(', ')]),
  ];
  return parts.join(' ');
}

function typeParametersText(signature: string | null): string {
  try {
    const { typeParameters } = readClassSignature(signature);
    return typeParameters.length === 0 ? '' : `<${typeParameters.map(({ name }) => name).join(', ')}>`;
  } catch (error) {
    if (error instanceof RangeError) return '';
    throw error;
  }
}

/** Numbers of type parameters as the names that the source gives them. */
function named(text: string, cls: JvmClass, own: readonly { readonly name: string }[]): string {
  const outer = typeParametersText(cls.signature).slice(1, -1).split(', ');
  return text
    .replace(/##(\d+)/g, (_, index: string) => own[Number(index)]?.name ?? 'T')
    .replace(/#(\d+)/g, (_, index: string) => outer[Number(index)] || 'T');
}

function parametersText(cls: JvmClass, member: JvmMember): string {
  return typed(cls, member)?.parameters ?? member.descriptor;
}

function typed(
  cls: JvmClass,
  member: JvmMember,
): { readonly parameters: string; readonly result: string; readonly own: string } | null {
  try {
    const { variables } = readClassSignature(cls.signature);
    const { typeParameters, parameters, result } = readMethodType(member.signature ?? member.descriptor, variables);
    const isOpen = (member.access & access.varargs) !== 0;
    const texts = parameters.map(typeText);
    if (isOpen && texts.length > 0) texts.push((texts.pop() ?? '').replace(/\[\]$/, '...'));
    return {
      parameters: named(texts.join(', '), cls, typeParameters),
      result: named(typeText(result), cls, typeParameters),
      own: typeParameters.length === 0 ? '' : `<${typeParameters.map(({ name }) => name).join(', ')}> `,
    };
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

function memberText(cls: JvmClass, member: JvmMember): string {
  const { access: flags } = member;
  const isInterface = (cls.access & access.interface) !== 0;
  const marks = [
    (flags & access.protected) === 0 ? '' : 'protected ',
    (flags & access.static) === 0 ? '' : 'static ',
    (flags & access.abstract) === 0 || isInterface ? '' : 'abstract ',
    (flags & access.final) === 0 ? '' : 'final ',
    isInterface && member.kind === 'method' && (flags & (access.abstract | access.static)) === 0 ? 'default ' : '',
  ].join('');
  if (member.kind === 'field')
    return `${marks}${fieldText(cls, member)} ${member.name}${member.constant === null ? '' : ' (constant)'}`;
  const found = typed(cls, member);
  const thrown = member.exceptions.length === 0 ? '' : ` throws ${member.exceptions.map(javaName).join(', ')}`;
  const parameters = `(${found?.parameters ?? member.descriptor})${thrown}`;
  if (member.name === '<init>') return `${marks}${found?.own ?? ''}${simpleName(cls.name)}${parameters}`;
  return `${marks}${found?.own ?? ''}${found?.result ?? ''} ${member.name}${parameters}`;
}

function fieldText(cls: JvmClass, member: JvmMember): string {
  try {
    return named(
      typeText(readFieldType(member.signature ?? member.descriptor, readClassSignature(cls.signature).variables)),
      cls,
      [],
    );
  } catch (error) {
    if (error instanceof RangeError) return member.descriptor;
    throw error;
  }
}

/** Whether what is added to a class has to be defined by users' own classes. */
export function mustBeDefined({ cls, member }: JvmDetail): boolean {
  return (
    member?.kind === 'method' &&
    (member.access & access.abstract) !== 0 &&
    isExtendable(cls) &&
    kindOf(cls) !== 'annotation'
  );
}
