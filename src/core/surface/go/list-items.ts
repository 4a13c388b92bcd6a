import type { Item } from '../items.ts';
import type { GoDeclaration, GoField, GoFunction, GoMethodElement, GoType, GoTypeParameter } from './definitions.ts';
import { allMethods, type GoPackage, isExported } from './module-tree.ts';
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
      detail: { of: { type: 'declaration', declaration }, pkg, owner: null, isUnsure },
    };
    return declaration.kind === 'type' ? [own, ...memberItems(declaration, pkg)] : [own];
  });
}

function memberItems(type: GoType, pkg: GoPackage): Item<GoDetail>[] {
  const make = (
    name: string,
    kind: string,
    {
      signature,
      of,
      isUnsure = false,
      file = type.file,
      line,
    }: {
      readonly signature: string;
      readonly of: GoDetail['of'];
      readonly isUnsure?: boolean;
      readonly file?: string;
      readonly line: number;
    },
  ): Item<GoDetail> => ({
    ...{
      entry: pkg.path,
      name: `${type.name}.${name}`,
      key: `${type.name}.${name}`,
      owner: type.name,
      kind,
      signature,
    },
    place: { file, line },
    detail: { of, pkg, owner: type, isUnsure },
  });
  const fields = type.form === 'struct' ? type.fields.filter(({ name }) => isExported(name)) : [];
  const elements =
    type.form === 'interface' ? allMethods(pkg, type).methods.filter(({ name }) => isExported(name)) : [];
  const methods = [...(pkg.methods.get(type.name)?.values() ?? [])].filter(({ declaration }) =>
    isExported(declaration.name),
  );
  return [
    ...fields.map((field) =>
      make(field.name, 'field', {
        signature: `${field.isEmbedded ? '' : `${field.name} `}${field.type}`,
        of: { type: 'field', field },
        line: field.line,
      }),
    ),
    ...elements.map((element) =>
      make(element.name, 'method', {
        signature: `${element.name}${signatureText(element.signature)}`,
        of: { type: 'element', element },
        line: element.line,
      }),
    ),
    ...methods.flatMap(({ declaration, isUnsure }) =>
      declaration.kind === 'function'
        ? [
            make(declaration.name, 'method', {
              signature: declarationText(declaration, pkg),
              of: { type: 'method', method: declaration },
              isUnsure,
              file: declaration.file,
              line: declaration.line,
            }),
          ]
        : [],
    ),
  ];
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
