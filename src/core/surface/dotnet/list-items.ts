import type { Item } from '../items.ts';
import type { DotnetMember, DotnetParameter, DotnetType, DotnetTypeParameter } from './read-assembly.ts';
import { shortName } from './signatures.ts';

/** A type, or one of its members. */
export type DotnetDetail = { readonly type: DotnetType; readonly member: DotnetMember | null };

/** Whether users outside can have classes below it. */
export function isExtendable({ kind, isSealed, members }: DotnetType): boolean {
  if (kind === 'interface') return true;
  return kind === 'class' && !isSealed && members.some((member) => member.kind === 'constructor');
}

/** Members that users can name; protected ones only where they can derive a class. */
export function shownMembers(type: DotnetType): DotnetMember[] {
  return type.members.filter(({ access }) => access === 'public' || isExtendable(type));
}

/** Which member of the other side is the same. */
export function memberKey({ kind, name, parameters, typeParameters, type: result }: DotnetMember): string {
  // Only conversions may differ by their result alone (II.10.3.3).
  const converted = /^op_(?:Explicit|Implicit)$/.test(name) ? ` ${result}` : '';
  const types = parameters.map(({ type }) => type.replace(/^(?:in|out|ref) /, '&')).join(',');
  return kind === 'field' || kind === 'event'
    ? name
    : `${name}${typeParameters.length === 0 ? '' : `\`${typeParameters.length}`}(${types})${converted}`;
}

/** Names of one target framework. @param file the assembly that a type is in, as the package has it. */
export function typeItems(
  types: readonly DotnetType[],
  framework: string,
  file: (type: DotnetType) => string,
): Item<DotnetDetail>[] {
  return types.flatMap((type): Item<DotnetDetail>[] => {
    const entry = `${framework} ${type.space}`.trim();
    const name = shortName(type.space === '' ? type.name : type.name.slice(type.space.length + 1));
    const place = { file: file(type), line: null };
    return [
      {
        entry,
        name,
        key: type.name,
        owner: null,
        kind: kindText(type),
        signature: named(typeText(type, name), type, null),
        place,
        detail: { type, member: null },
      },
      ...shownMembers(type).map((member): Item<DotnetDetail> => {
        const isMade = member.kind === 'constructor';
        const list = named(member.parameters.map((parameter) => parameter.type).join(', '), type, member);
        const called =
          member.kind === 'method' || isMade ? `(${list})` : member.parameters.length === 0 ? '' : `[${list}]`;
        return {
          ...{ entry, place, owner: type.name, kind: member.kind },
          name: `${name}${isMade ? '' : `.${member.name}`}${called}`,
          key: `${type.name}.${memberKey(member)}`,
          signature: named(memberText(member, name), type, member),
          detail: { type, member },
        };
      }),
    ];
  });
}

const kindText = (type: DotnetType) =>
  type.kind === 'class' && type.isAbstract && type.isSealed ? 'static class' : type.kind;

const typeParametersText = (list: readonly DotnetTypeParameter[]) =>
  list.length === 0
    ? ''
    : `<${list.map(({ name, flags }) => `${(flags & 3) === 1 ? 'out ' : (flags & 3) === 2 ? 'in ' : ''}${name}`).join(', ')}>`;

function typeText(type: DotnetType, name: string): string {
  const marks =
    type.kind !== 'class' || (type.isAbstract && type.isSealed)
      ? ''
      : `${type.isAbstract ? 'abstract ' : ''}${type.isSealed ? 'sealed ' : ''}`;
  const isPlain = type.base === null || /^System\.(?:Object|Enum|ValueType|MulticastDelegate)$/.test(type.base);
  const above = [...(isPlain ? [] : [type.base ?? '']), ...(type.kind === 'enum' ? [] : type.interfaces)].map(
    shortName,
  );
  return `${marks}${kindText(type)} ${name}${typeParametersText(type.typeParameters)}${above.length === 0 ? '' : ` : ${above.join(', ')}`}`;
}

function parameterText({ name, type, isOptional, isList }: DotnetParameter): string {
  return `${isList ? 'params ' : ''}${type} ${name}${isOptional ? ' = …' : ''}`.trim();
}

/** Numbers of type parameters as the names that the source gives them. */
function named(text: string, type: DotnetType, member: DotnetMember | null): string {
  const name = (list: readonly DotnetTypeParameter[] | undefined, index: string) => list?.[Number(index)]?.name ?? 'T';
  return text
    .replace(/!!(\d+)/g, (_, index: string) => name(member?.typeParameters, index))
    .replace(/!(\d+)/g, (_, index: string) => name(type.typeParameters, index));
}

function memberText(member: DotnetMember, owner: string): string {
  const marks = [
    member.access === 'protected' ? 'protected ' : '',
    member.isStatic && member.constant === null ? 'static ' : '',
    member.constant === null ? '' : 'const ',
    member.isReadOnly ? 'readonly ' : '',
    member.isAbstract ? 'abstract ' : member.isVirtual ? 'virtual ' : '',
    member.isRequired ? 'required ' : '',
  ].join('');
  const list = member.parameters.map(parameterText).join(', ');
  if (member.kind === 'constructor') return `${marks}${owner}(${list})`;
  if (member.kind === 'method')
    return `${marks}${member.type} ${member.name}${typeParametersText(member.typeParameters)}(${list})`;
  if (member.kind !== 'property')
    return `${marks}${member.kind === 'event' ? 'event ' : ''}${member.type} ${member.name}`;
  const accessor = (access: DotnetMember['getter'], word: string) =>
    access === null ? '' : `${access === 'protected' && member.access === 'public' ? 'protected ' : ''}${word}; `;
  const accessors = `${accessor(member.getter, 'get')}${accessor(member.setter, member.isInitOnly ? 'init' : 'set')}`;
  return `${marks}${member.type} ${member.name}${list === '' ? '' : `[${list}]`} { ${accessors}}`;
}
