import type { Item } from '../items.ts';
import type { GoDeclaration, GoField, GoFunction, GoMethodElement, GoType, GoTypeParameter } from './definitions.ts';
import { allMethods, type GoPackage, isExported, promotedByHidden } from './module-tree.ts';
import { signatureText } from './read-file.ts';

/** What an exported name stands for. */
export type GoDetail = {
  readonly of:
    | { readonly type: 'declaration'; readonly declaration: GoDeclaration }
    | { readonly type: 'method'; readonly method: GoFunction }
    | { readonly type: 'element'; readonly element: GoMethodElement }
    | { readonly type: 'field'; readonly field: GoField };
  readonly pkg: GoPackage;
  /** The type that it belongs to. */
  readonly owner: GoType | null;
  readonly isUnsure: boolean;
  /** Whether it comes from an embedded type that users cannot name. */
  readonly isPromoted: boolean;
};

/** Exported names of a package with the members of its types. */
export function packageItems(pkg: GoPackage): Item<GoDetail>[] {
  const declared = [...pkg.names.values()].filter(({ declaration }) => isExported(declaration.name));
  return declared.flatMap(({ declaration, isUnsure }): Item<GoDetail>[] => {
    const { name, file, line } = declaration;
    const own: Item<GoDetail> = {
      ...{ entry: pkg.path, name, key: name, owner: null },
      kind: declaration.kind === 'type' ? declaration.form.replace('other', 'type') : declaration.kind,
      signature: declarationText(declaration, pkg),
      place: { file, line },
      detail: { of: { type: 'declaration', declaration }, pkg, owner: null, isUnsure, isPromoted: false },
    };
    return declaration.kind === 'type' ? [own, ...memberItems(declaration, pkg)] : [own];
  });
}

function memberItems(type: GoType, pkg: GoPackage): Item<GoDetail>[] {
  const methods = [...(pkg.methods.get(type.name)?.values() ?? [])].flatMap(({ declaration, isUnsure }) =>
    declaration.kind === 'function' ? [methodPart(declaration, pkg, { isUnsure, isPromoted: false })] : [],
  );
  const fields = type.form === 'struct' ? type.fields.map((field) => fieldPart(field, type.file, false)) : [];
  const own = [...fields, ...elementParts(type, pkg), ...methods];
  const names = new Set(own.map(({ name }) => name));
  const hidden = [...promotedByHidden(pkg, type).members]
    .filter(([name]) => !names.has(name))
    .map(([, member]) =>
      member.type === 'field'
        ? fieldPart(member.field, member.file, true)
        : methodPart(member.method, pkg, { isUnsure: false, isPromoted: true }),
    );
  return [...own, ...hidden]
    .filter(({ name }) => isExported(name))
    .map(({ name, kind, signature, file, line, ...detail }): Item<GoDetail> => {
      const whole = `${type.name}.${name}`;
      return {
        ...{ entry: pkg.path, name: whole, key: whole, owner: type.name, kind, signature, place: { file, line } },
        detail: { ...detail, pkg, owner: type },
      };
    });
}

/** A member that is to be listed. */
type Part = Pick<GoDetail, 'of' | 'isUnsure' | 'isPromoted'> & {
  readonly name: string;
  readonly kind: string;
  readonly signature: string;
  readonly file: string;
  readonly line: number;
};

function fieldPart(field: GoField, file: string, isPromoted: boolean): Part {
  const { name, type, isEmbedded, line } = field;
  const signature = `${isEmbedded ? '' : `${name} `}${type}`;
  return { name, kind: 'field', signature, file, line, of: { type: 'field', field }, isUnsure: false, isPromoted };
}

function methodPart(
  method: GoFunction,
  pkg: GoPackage,
  flags: { readonly isUnsure: boolean; readonly isPromoted: boolean },
): Part {
  const { name, file, line } = method;
  return {
    name,
    kind: 'method',
    signature: declarationText(method, pkg),
    file,
    line,
    of: { type: 'method', method },
    ...flags,
  };
}

function elementParts(type: GoType, pkg: GoPackage): Part[] {
  const { methods } = allMethods(pkg, type);
  return methods.map((element) => ({
    ...{ name: element.name, kind: 'method', signature: `${element.name}${signatureText(element.signature)}` },
    ...{ file: type.file, line: element.line, of: { type: 'element', element }, isUnsure: false, isPromoted: false },
  }));
}

const typeParametersText = (list: readonly GoTypeParameter[]) =>
  list.length === 0 ? '' : `[${list.map(({ name, constraint }) => `${name} ${constraint}`).join(', ')}]`;

/** A declaration without its body, hidden fields and values. */
export function declarationText(declaration: GoDeclaration, pkg: GoPackage): string {
  const { name } = declaration;
  if (declaration.kind === 'function') {
    const { receiver, typeParameters, signature } = declaration;
    const on = receiver === null ? '' : `(${receiver.isPointer ? '*' : ''}${receiver.type}) `;
    return `func ${on}${name}${typeParametersText(typeParameters)}${signatureText(signature)}`;
  }
  if (declaration.kind !== 'type')
    return `${declaration.kind === 'constant' ? 'const' : 'var'} ${name}${declaration.type === null ? '' : ` ${declaration.type}`}`;
  const head = `type ${name}${typeParametersText(declaration.typeParameters)}`;
  if (declaration.form === 'struct') return `${head} struct`;
  if (declaration.form === 'interface') {
    const { elements } = allMethods(pkg, declaration);
    return `${head} interface${elements.length === 0 ? '' : ` { ${elements.join('; ')} }`}`;
  }
  return `${head} ${declaration.form === 'alias' ? '= ' : ''}${declaration.type}`;
}
