import ts from 'typescript';
import type { SurfaceName } from '../surface.ts';
import { wholeExport } from './checker-internals.ts';
import type { DeclarationProgram } from './declaration-program.ts';
import { isPublicName, kindOf, placeOf, publicExports, shownName, signatureOf, targetOf } from './symbols.ts';

/** The names of a module with the public members of its classes, interfaces, enums and namespaces. */
export function listNames(program: DeclarationProgram, module: ts.Symbol): SurfaceName[] {
  const whole = wholeExport(program.checker, module);
  const names = [...publicExports(program, module).values()].flatMap((symbol) =>
    namesBelow(program, { name: shownName(symbol), symbol, depth: 0 }),
  );
  return whole === module ? names : [...namesBelow(program, { name: 'export =', symbol: whole, depth: 0 }), ...names];
}

type Named = { readonly name: string; readonly symbol: ts.Symbol; readonly depth: number };

const maxDepth = 4;

function namesBelow(program: DeclarationProgram, { name, symbol, depth }: Named): SurfaceName[] {
  const target = targetOf(program, symbol);
  if (target === null) return [{ name, kind: 'name', signature: name, place: placeOf(program, symbol) }];
  const own = name.includes('.') ? name.slice(name.lastIndexOf('.') + 1) : name;
  const members = depth < maxDepth ? membersOf(program, target) : [];
  return [
    { name, kind: kindOf(target), signature: signatureOf(program, target, own), place: placeOf(program, target) },
    ...members.flatMap((member) =>
      namesBelow(program, { name: `${name}.${shownName(member)}`, symbol: member, depth: depth + 1 }),
    ),
  ];
}

/** Members that a symbol declares for its users: of an instance, of the class itself, of an enum, of a namespace. */
function membersOf({ checker }: DeclarationProgram, symbol: ts.Symbol): ts.Symbol[] {
  const { flags } = symbol;
  const isPublic = ({ name }: ts.Symbol) => isPublicName(name) && name !== 'prototype';
  const own = flags & (ts.SymbolFlags.Class | ts.SymbolFlags.Interface) ? [...(symbol.members?.values() ?? [])] : [];
  const members = own.filter(
    (member) => (member.flags & (ts.SymbolFlags.ClassMember & ~ts.SymbolFlags.Constructor)) !== 0,
  );
  const inner =
    flags & (ts.SymbolFlags.Namespace | ts.SymbolFlags.Enum | ts.SymbolFlags.Class)
      ? checker.getExportsOfModule(symbol)
      : [];
  return [...members, ...inner].filter(isPublic);
}
