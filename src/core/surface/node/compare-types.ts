import ts from 'typescript';
import type { Effect } from '../surface.ts';
import {
  abstractedOver,
  hasRest,
  isAbstract,
  isErrorType,
  isInstantiated,
  minArguments,
  signatureType,
  thisParameterOf,
  thisTypeOf,
  wholeExport,
} from './checker-internals.ts';
import type { DeclarationProgram } from './declaration-program.ts';
import { opaqueMark } from './outside-names.ts';
import { areDeclaredAlike, declarationsOf, plainText, usesOf } from './same-text.ts';
import {
  declaredParameters,
  isInside,
  isPublicName,
  publicExports,
  shownName,
  signatureOf,
  signatureText,
  targetOf,
} from './symbols.ts';
import {
  constraintNode,
  constructorAccess,
  hasMark,
  hasModifier,
  hasParameters,
  isClass,
  isClassType,
  isComparable,
  isEnum,
  isGenericReference,
  isLibrary,
  isMethod,
  isReadonly,
  isReference,
  isVague,
  isVagueSignature,
  memberKey,
  pairKey,
  partsOf,
  tupleShape,
  typeArgumentsOf,
  typeId,
} from './type-facts.ts';

/** Who makes a value: `out` the package, `in` its users, `either` where nothing exported says. */
export type Direction = 'out' | 'in' | 'either';

/** What was found about a name; the symbols say where. */
export type Report = {
  readonly name: string;
  readonly effect: Effect;
  readonly why: string;
  readonly old: { readonly symbol: ts.Symbol | undefined; readonly text: string } | null;
  readonly new: { readonly symbol: ts.Symbol | undefined; readonly text: string } | null;
};

/** A name under comparison, with what it looks like on both sides. */
type Spot = {
  readonly name: string;
  readonly old: { readonly symbol: ts.Symbol | undefined; readonly text: () => string };
  readonly new: { readonly symbol: ts.Symbol | undefined; readonly text: () => string };
  readonly direction: Direction;
  readonly depth: number;
  /** Type parameters that are in force, the old ones and those that stand for them. */
  readonly scope: {
    readonly old: readonly ts.TypeParameter[];
    readonly new: readonly ts.TypeParameter[];
  };
};

/** A type with the parameters that it may name. */
type Scoped = readonly [ts.Type, readonly ts.TypeParameter[]];

const noScope: Spot['scope'] = { old: [], new: [] };
const flip: Readonly<Record<Direction, Direction>> = { out: 'in', in: 'out', either: 'either' };
const maxDepth = 8;
/** Pairs of types that are looked at before the comparison of a package is given up. */
const maxSteps = 100_000;

/**
 * Compares what two modules declare, member by member, so that each difference is found where it is made. The checker decides
 * what has no members: whether values of one type may stand where the other is expected (TypeScript handbook, "Type
 * Compatibility").
 */
export class TypeComparison {
  readonly #program: DeclarationProgram;
  readonly #checker: ts.TypeChecker;
  readonly #report: (report: Report) => void;
  /** Values that were compared, by name. */
  readonly #seen = new Set<string>();
  /** Pairs of types without a difference, and those that are being compared. */
  readonly #alike = new Set<string>();
  readonly #active = new Set<string>();
  #reports = 0;
  readonly #declared = new Map<string, Set<Direction>>();
  /** By which names users know what is exported, which may be declared under others. */
  readonly #names = new Map<ts.Symbol, string>();
  #stepsLeft = maxSteps;

  constructor(program: DeclarationProgram, report: (report: Report) => void) {
    [this.#program, this.#checker] = [program, program.checker];
    this.#report = (found) => {
      this.#reports++;
      report(found);
    };
  }

  /** Whether the comparison stopped because there was too much to compare. */
  get isExhausted(): boolean {
    return this.#stepsLeft <= 0;
  }

  /** Compares what two modules export. */
  module(old: ts.Symbol, now: ts.Symbol): void {
    const [from, to] = [wholeExport(this.#checker, old), wholeExport(this.#checker, now)];
    const name = 'export =';
    if (from !== old && to !== now) this.#value(name, from, to);
    else if (from !== old || to !== now)
      this.#say(
        this.#spot(name, [from, to], 'out'),
        'breaking',
        'the module exports in another way: `export =` or names',
      );
    this.exports(publicExports(this.#program, old), publicExports(this.#program, now));
  }

  /** Compares exported values, then the types that no value takes or gives. */
  exports(old: ReadonlyMap<string, ts.Symbol>, now: ReadonlyMap<string, ts.Symbol>, owner = ''): void {
    const both = [...old].flatMap(([name, symbol]) => {
      const other = now.get(name);
      const shown = owner + shownName(symbol);
      if (other !== undefined) return [{ name: shown, old: symbol, new: other }];
      this.#removed(shown, symbol);
      return [];
    });
    for (const [name, symbol] of now) if (!old.has(name)) this.#added(owner + shownName(symbol), symbol);
    const known = both.flatMap(({ name, old: before, new: after }) => {
      const [from, to] = [targetOf(this.#program, before), targetOf(this.#program, after)];
      if (from === to && from !== null) return [];
      if (from !== null && to !== null && !hasMark(from) && !hasMark(to)) return [{ name, from, to }];
      if (from !== to) this.#unknown(name, [before, after], 'what it stands for is declared outside of the package');
      return [];
    });
    for (const { name, from } of known) if (!this.#names.has(from)) this.#names.set(from, name);
    for (const { name, from, to } of known) this.#value(name, from, to);
    for (const { name, from, to } of known) this.#type(name, from, to);
  }

  #nameOf(symbol: ts.Symbol): string {
    return this.#names.get(symbol) ?? shownName(symbol);
  }

  #removed(name: string, symbol: ts.Symbol): void {
    const old = this.#side(name, symbol);
    const isOutside = hasMark(old.symbol);
    const why = isOutside ? 'it is no longer handed on from outside of the package' : 'it is no longer exported';
    this.#report({ name, effect: isOutside ? 'unknown' : 'breaking', why, old, new: null });
  }

  #added(name: string, symbol: ts.Symbol): void {
    this.#report({ name, effect: 'addition', why: 'new export', old: null, new: this.#side(name, symbol) });
  }

  #unknown(name: string, [old, now]: readonly [ts.Symbol, ts.Symbol], why: string): void {
    const [before, after] = [this.#side(name, old), this.#side(name, now)];
    this.#report({ name, effect: 'unknown', why, old: before, new: after });
  }

  #side(name: string, symbol: ts.Symbol) {
    const target = targetOf(this.#program, symbol);
    return { symbol: target ?? symbol, text: target === null ? name : signatureOf(this.#program, target, name) };
  }

  #spot(name: string, [old, now]: readonly [ts.Symbol, ts.Symbol], direction: Direction): Spot {
    const text = (symbol: ts.Symbol) => () => signatureOf(this.#program, symbol, name);
    return {
      name,
      old: { symbol: old, text: text(old) },
      new: { symbol: now, text: text(now) },
      direction,
      depth: 0,
      scope: noScope,
    };
  }

  /** What a name is at run time. */
  #value(name: string, old: ts.Symbol, now: ts.Symbol): void {
    const is = (symbol: ts.Symbol, flags: number) => (symbol.flags & flags) !== 0;
    const spot = this.#spot(name, [old, now], 'out');
    const key = `value ${pairKey(old, now)}`;
    if (this.#seen.has(key)) return;
    this.#seen.add(key);
    if (this.#isAlike(spot, old, now)) return;
    if (!is(old, ts.SymbolFlags.Value)) {
      if (is(now, ts.SymbolFlags.Value)) this.#say(spot, 'addition', 'it is now a value too, not only a type');
      return;
    }
    if (!is(now, ts.SymbolFlags.Value)) {
      this.#say(spot, 'breaking', 'it is now only a type, not a value');
      return;
    }
    if (is(old, ts.SymbolFlags.Enum) && is(now, ts.SymbolFlags.Enum)) {
      this.#enum(name, old, now);
      return;
    }
    if (is(old, ts.SymbolFlags.Namespace) && is(now, ts.SymbolFlags.Namespace)) this.#namespace(name, old, now);
    if (is(old, ts.SymbolFlags.Class) && is(now, ts.SymbolFlags.Class)) this.#class(spot, old, now);
    if (is(old, ts.SymbolFlags.Value & ~ts.SymbolFlags.ValueModule))
      this.#relate(spot, this.#checker.getTypeOfSymbol(old), this.#checker.getTypeOfSymbol(now));
  }

  #namespace(name: string, old: ts.Symbol, now: ts.Symbol): void {
    const names = (symbol: ts.Symbol) =>
      new Map(
        this.#checker
          .getExportsOfModule(symbol)
          .filter((inner) => isPublicName(inner.name) && inner.name !== 'prototype')
          .map((inner) => [inner.name, inner]),
      );
    this.exports(names(old), names(now), `${name}.`);
  }

  /** What a name is for the type checker. */
  #type(name: string, old: ts.Symbol, now: ts.Symbol): void {
    const flags = ts.SymbolFlags.Type;
    if ((old.flags & flags) === 0 || (old.flags & ts.SymbolFlags.Enum) !== 0) {
      if ((old.flags & ts.SymbolFlags.Value) === 0 && (old.flags & ts.SymbolFlags.Namespace) !== 0)
        this.#namespace(name, old, now);
      return;
    }
    const direction = this.#declared.has(pairKey(old, now)) ? null : 'either';
    if ((now.flags & flags) === 0) {
      this.#say(this.#spot(name, [old, now], 'out'), 'breaking', 'it can no longer be used as a type');
      return;
    }
    if (direction !== null) this.#declaredTypes(this.#spot(name, [old, now], direction), old, now);
  }

  #enum(name: string, old: ts.Symbol, now: ts.Symbol): void {
    const members = (symbol: ts.Symbol) =>
      new Map([...(symbol.exports ?? [])].map(([key, member]) => [String(key), member]));
    const [before, after] = [members(old), members(now)];
    for (const [key, member] of before) {
      const other = after.get(key);
      const inner = `${name}.${shownName(member)}`;
      if (other === undefined) {
        this.#removed(inner, member);
        continue;
      }
      const spot = this.#spot(inner, [member, other], 'out');
      if (spot.old.text() !== spot.new.text()) this.#say(spot, 'breaking', 'it has another value');
    }
    for (const [key, member] of after) if (!before.has(key)) this.#added(`${name}.${shownName(member)}`, member);
  }

  #class(spot: Spot, old: ts.Symbol, now: ts.Symbol): void {
    const made = (symbol: ts.Symbol) => this.#checker.getTypeOfSymbol(symbol).getConstructSignatures();
    const abstract = (symbol: ts.Symbol) => made(symbol).some(isAbstract);
    if (!abstract(old) && abstract(now))
      this.#say(spot, 'breaking', 'the class is abstract now, so users cannot create an instance');
    const [before, after] = [constructorAccess(old), constructorAccess(now)];
    if (before < after) this.#say(spot, 'breaking', `its constructor is ${after === 2 ? 'private' : 'protected'} now`);
    this.#declaredTypes({ ...spot, direction: 'out' }, old, now);
  }

  /** A class, interface or alias with its own type parameters. */
  #declaredTypes(spot: Spot, old: ts.Symbol, now: ts.Symbol): void {
    if (isEnum(old) && isEnum(now)) {
      this.#value(spot.name, old, now);
      return;
    }
    // Users get instances of a class from the package, also those that they give back.
    if (spot.direction !== 'out' && isClass(old) && isClass(now)) {
      this.#declaredTypes({ ...spot, direction: 'out' }, old, now);
      return;
    }
    const key = pairKey(old, now);
    const done = this.#declared.get(key) ?? new Set<Direction>();
    this.#declared.set(key, done);
    if (done.has(spot.direction)) return;
    done.add(spot.direction);
    if (this.#isAlike(spot, old, now)) return;
    if (hasMark(old) || hasMark(now)) {
      this.#say(spot, 'unknown', 'part of it is declared outside of the package');
      return;
    }
    const [types, others] = [declaredParameters(this.#program, old), declaredParameters(this.#program, now)];
    if (!this.#typeParameters(spot, types, others)) return;
    const [from, to] = [this.#checker.getDeclaredTypeOfSymbol(old), this.#checker.getDeclaredTypeOfSymbol(now)];
    const [self, otherSelf] = [thisTypeOf(from), thisTypeOf(to)];
    const own = self !== null && otherSelf !== null ? { old: [self], new: [otherSelf] } : noScope;
    const count = Math.min(types.length, others.length);
    const scope = joined({ old: types.slice(0, count), new: others.slice(0, count) }, own);
    this.#structure({ ...spot, scope }, from, to);
  }

  /** @returns false where nothing below can be compared. */
  #typeParameters(spot: Spot, old: readonly ts.TypeParameter[], now: readonly ts.TypeParameter[]): boolean {
    const required = (parameters: readonly ts.TypeParameter[]) =>
      parameters.filter((parameter) => this.#checker.getDefaultFromTypeParameter(parameter) === undefined).length;
    if (now.length < old.length) {
      this.#say(spot, 'breaking', 'it takes fewer type arguments');
      return false;
    }
    if (required(now) > required(old)) this.#say(spot, 'breaking', 'it needs more type arguments');
    else if (now.length > old.length) this.#say(spot, 'addition', 'new type parameter with a default');
    for (const [index, parameter] of old.entries()) {
      const other = now[index];
      const limit = other?.getConstraint();
      if (other === undefined || limit === undefined) continue;
      if (this.#isAlikeConstraint(spot, parameter, other)) continue;
      const before = parameter.getConstraint() ?? this.#unknownType();
      const inner = { ...spot, scope: joined(spot.scope, { old, new: now.slice(0, old.length) }) };
      if (this.#oldFits(inner, before, limit)) continue;
      const isKnown = !isVague(this.#checker, before) && !isVague(this.#checker, limit);
      this.#say(
        spot,
        isKnown ? 'breaking' : 'unknown',
        `its type parameter ${parameter.symbol.name} accepts fewer types`,
      );
      return false;
    }
    return true;
  }

  #isAlikeConstraint(spot: Spot, old: ts.TypeParameter, now: ts.TypeParameter): boolean {
    const [before, after] = [old, now].map((parameter) => constraintNode(parameter));
    if (before === undefined || after === undefined) return false;
    return plainText(before) === plainText(after) && this.#usesAlike(flip[spot.direction], before, after);
  }

  #unknownType(): ts.Type {
    return (this.#checker as ts.TypeChecker & { getUnknownType(): ts.Type }).getUnknownType();
  }

  /** Compares two types that may have names; each pair once for each direction. */
  #relate(spot: Spot, old: ts.Type, now: ts.Type): void {
    if (old === now || isSameParameter(spot.scope, old, now)) return;
    if (this.#stepsLeft-- <= 0) return;
    const key = `${typeId(old)} ${typeId(now)} ${spot.direction}`;
    if (this.#alike.has(key) || this.#active.has(key)) return;
    this.#active.add(key);
    const before = this.#reports;
    this.#relateNew(spot, old, now);
    this.#active.delete(key);
    // Types of the same words are one type: what differs is reported at each place that has it.
    if (this.#reports === before) this.#alike.add(key);
  }

  #relateNew(spot: Spot, old: ts.Type, now: ts.Type): void {
    if (this.#vagueness(spot, old, now)) return;
    if (spot.depth > maxDepth) {
      this.#leaf(spot, old, now);
      return;
    }
    const pair = this.#namedPair(old, now);
    if (pair === null) {
      this.#structure(spot, old, now);
      return;
    }
    const [from, to] = pair.symbols;
    if (from !== to) this.#declaredTypes(this.#spot(this.#nameOf(from), [from, to], spot.direction), from, to);
    for (const [index, argument] of pair.old.entries()) {
      const other = pair.new[index];
      if (other !== undefined) this.#relate(deeper(spot), argument, other);
    }
  }

  /** @returns whether one side says nothing about itself, so that there is nothing to compare. */
  #vagueness(spot: Spot, old: ts.Type, now: ts.Type): boolean {
    const isAny = (type: ts.Type) => (type.flags & ts.TypeFlags.Any) !== 0;
    if (isErrorType(old) || isErrorType(now)) {
      if (!isErrorType(old) || !isErrorType(now) || spot.old.text() !== spot.new.text())
        this.#say(spot, 'unknown', 'its type is declared outside of the package');
      return true;
    }
    if (!isAny(old) && !isAny(now)) return false;
    if (isAny(old) && isAny(now)) return true;
    if (isAny(now)) this.#say(spot, 'compatible', 'its type says less: any');
    else if (spot.direction === 'in') this.#say(spot, 'breaking', 'it accepts fewer values than any');
    else if ((now.flags & ts.TypeFlags.Unknown) !== 0)
      this.#say(spot, 'breaking', 'its type was any and is unknown: users must narrow it first');
    else this.#say(spot, 'unknown', 'its type was any, so users may have relied on anything');
    return true;
  }

  /** Enums of one name are compared by their members, once. */
  #isEnumPair(old: ts.Type, now: ts.Type): boolean {
    const flags = ts.TypeFlags.EnumLike;
    if ((old.flags & flags) === 0 || (now.flags & flags) === 0 || old.symbol === now.symbol) return false;
    if (!this.#isTwin(old.symbol, now.symbol)) return false;
    if (isEnum(old.symbol) && isEnum(now.symbol)) this.#value(this.#nameOf(old.symbol), old.symbol, now.symbol);
    return isEnum(old.symbol) === isEnum(now.symbol);
  }

  /** Types of one name in both trees, or one generic type of outside with other arguments. */
  #namedPair(old: ts.Type, now: ts.Type) {
    const [alias, otherAlias] = [old.aliasSymbol, now.aliasSymbol];
    if (alias !== undefined && otherAlias !== undefined && this.#isTwin(alias, otherAlias)) {
      const [before, after] = [old.aliasTypeArguments ?? [], now.aliasTypeArguments ?? []];
      const pair = { symbols: [alias, otherAlias] as const, old: before, new: after };
      // What `Pick` and its like make of other names or keys is not what these are to each other.
      const isLike = (type: ts.Type, other: ts.Type | undefined) =>
        type === other || (other !== undefined && isReference(type) && this.#namedPair(type, other) !== null);
      if (!isLibrary(alias) || before.every((type, index) => isLike(type, after[index]))) return pair;
      return null;
    }
    if (!isReference(old) || !isReference(now)) return null;
    if (!this.#isTwin(old.symbol, now.symbol) || this.#checker.isTupleType(old)) return null;
    const count = declaredParameters(this.#program, old.symbol).length;
    return {
      symbols: [old.symbol, now.symbol] as const,
      old: isGenericReference(old) ? this.#checker.getTypeArguments(old).slice(0, count) : [],
      new: isGenericReference(now) ? this.#checker.getTypeArguments(now).slice(0, count) : [],
    };
  }

  #isTwin(old: ts.Symbol, now: ts.Symbol): boolean {
    // A type of outside, or of a shared file, is the same symbol; the private mark of an opaque one is for the checker.
    if (old === now) return !hasMark(old) && isLibrary(old);
    return old.name === now.name && isInside(this.#program, old) && isInside(this.#program, now);
  }

  /** Two types without regard to their names. */
  #structure(spot: Spot, old: ts.Type, now: ts.Type): void {
    if (old.isUnion() || now.isUnion()) {
      this.#union(spot, old, now);
      return;
    }
    if (this.#inParts(spot, old, now)) return;
    if (!isComparable(this.#checker, old) || !isComparable(this.#checker, now)) {
      this.#leaf(spot, old, now);
      return;
    }
    const [calls, otherCalls] = [old.getCallSignatures(), now.getCallSignatures()];
    const [news, otherNews] = [old.getConstructSignatures(), now.getConstructSignatures()];
    if (calls.length > 0 !== otherCalls.length > 0 || news.length > 0 !== otherNews.length > 0) {
      this.#leaf(spot, old, now);
      return;
    }
    this.#signatures(spot, calls, otherCalls);
    this.#signatures(spot, news, otherNews);
    this.#members(spot, old, now);
    for (const info of this.#checker.getIndexInfosOfType(old)) {
      const other = this.#checker.getIndexInfosOfType(now).find(({ keyType }) => keyType === info.keyType);
      if (other === undefined)
        this.#say(
          spot,
          this.#checker.getIndexInfosOfType(now).length > 0 ? 'unknown' : 'breaking',
          'its index signature was removed',
        );
      else this.#relate(deeper(spot), info.type, other.type);
    }
  }

  /** Intersections and tuples of as many parts, each with its like. @returns whether they are. */
  #inParts(spot: Spot, old: ts.Type, now: ts.Type): boolean {
    const [before, after] = [old, now].map((type) =>
      type.isIntersection() ? type.types : this.#checker.isTupleType(type) ? typeArgumentsOf(this.#checker, type) : [],
    );
    if (before === undefined || after === undefined || before.length === 0 || before.length !== after.length)
      return false;
    if (old.isIntersection() !== now.isIntersection() || tupleShape(old) !== tupleShape(now)) return false;
    const pairs = before.map((type, index) => [type, after[index] ?? type] as const);
    const isLike = ([type, other]: readonly [ts.Type, ts.Type]) =>
      type === other ||
      isSameParameter(spot.scope, type, other) ||
      this.#namedPair(type, other) !== null ||
      (isComparable(this.#checker, type) && isComparable(this.#checker, other));
    if (old.isIntersection() && !pairs.every(isLike)) return false;
    for (const [type, other] of pairs) this.#relate(deeper(spot), type, other);
    return true;
  }

  #union(spot: Spot, old: ts.Type, now: ts.Type): void {
    const [before, after] = [partsOf(old), partsOf(now)];
    const left = after.filter((type) => !before.includes(type));
    const missing = before.filter((type) => !after.includes(type));
    if (left.length + missing.length > 200) {
      this.#leaf(spot, old, now);
      return;
    }
    // Members of one name, or the only ones left of each side, are compared; others are judged as wholes.
    const pairs = missing.flatMap((type) => {
      const twin = left.find((other) => this.#namedPair(type, other) !== null || this.#isEnumPair(type, other));
      const only = left.length === 1 && missing.length === 1 && isComparable(this.#checker, type) ? left[0] : undefined;
      const other = twin ?? (only !== undefined && isComparable(this.#checker, only) ? only : undefined);
      return other === undefined ? [] : [[type, other] as const];
    });
    const paired = new Set(pairs.flat());
    for (const [type, other] of pairs) this.#relate(deeper(spot), type, other);
    const [from, to] = [missing, left].map((types) => types.filter((type) => !paired.has(type)));
    const unmatchedOld = (from ?? []).filter((type) => !this.#oldFits(spot, type, now));
    const unmatchedNew = (to ?? []).filter((type) => !this.#newFits(spot, old, type));
    this.#judge(spot, {
      newFits: unmatchedNew.length === 0,
      oldFits: unmatchedOld.length === 0,
      isVague: [...unmatchedOld, ...unmatchedNew].some((type) => isVague(this.#checker, type)),
      isEqual: (from ?? []).length === 0 && (to ?? []).length === 0,
    });
  }

  /** What the checker alone decides. */
  #leaf(spot: Spot, old: ts.Type, now: ts.Type): void {
    // Users of a function that gave nothing have no use for what it gives now.
    if (spot.direction === 'out' && (old.flags & ts.TypeFlags.Void) !== 0 && spot.name.endsWith('()')) return;
    const isOpen = hasParameters(this.#checker, old) !== hasParameters(this.#checker, now);
    // To relate parameters with limits of the package's own, the checker would have to compare all that those limits name.
    if (hasParameters(this.#checker, old) && this.#hasOwnLimits(spot.scope)) {
      this.#judge(spot, { newFits: false, oldFits: false, isVague: true, isEqual: false });
      return;
    }
    const newFits = this.#newFits(spot, old, now);
    const oldFits = this.#oldFits(spot, old, now);
    const isUnclear = isOpen || isVague(this.#checker, old) || isVague(this.#checker, now);
    this.#judge(spot, { newFits, oldFits, isVague: isUnclear, isEqual: false });
  }

  #judge(
    spot: Spot,
    {
      newFits,
      oldFits,
      isVague,
      isEqual,
    }: { readonly newFits: boolean; readonly oldFits: boolean; readonly isVague: boolean; readonly isEqual: boolean },
  ): void {
    if (isEqual || (newFits && oldFits)) return;
    const { direction } = spot;
    if (isVague) {
      this.#say(spot, 'unknown', 'it depends on type arguments, or on types from outside of the package');
      return;
    }
    if (!newFits && !oldFits) {
      // Where the words are the same, what differs is behind them, such as type arguments: no place can be shown.
      const isAlike = spot.old.text() === spot.new.text();
      this.#say(spot, isAlike ? 'unknown' : 'breaking', 'it has another type');
      return;
    }
    if (direction === 'either')
      return void this.#say(
        spot,
        'unknown',
        `the type is ${newFits ? 'narrower' : 'wider'}, and no exported value shows who makes it`,
      );
    const isFine = direction === 'out' ? newFits : oldFits;
    const words =
      direction === 'out'
        ? [
            'the type is narrower: every value was possible before',
            'the type is wider: users get values they did not get before',
          ]
        : ['it accepts more values', 'it accepts fewer values'];
    this.#say(spot, isFine ? 'compatible' : 'breaking', words[isFine ? 0 : 1] ?? '');
  }

  #members(spot: Spot, old: ts.Type, now: ts.Type): void {
    const visible = (type: ts.Type) =>
      new Map(
        this.#checker
          .getPropertiesOfType(type)
          .filter(({ name }) => isPublicName(name) && name !== 'prototype')
          .map((member) => [memberKey(member), member]),
      );
    this.#base(spot, old, now);
    const [before, after] = [visible(old), visible(now)];
    for (const [key, member] of before) {
      const other = after.get(key);
      if (other === undefined) this.#memberGone(spot, member, now);
      else if (member !== other) this.#member(spot, member, other);
    }
    const isMadeByUsers = spot.direction !== 'out' && !isClassType(now);
    for (const [key, member] of after) if (!before.has(key)) this.#memberNew(spot, member, isMadeByUsers);
  }

  /** A base from outside is all in its mark: what it brings cannot be seen. */
  #base(spot: Spot, old: ts.Type, now: ts.Type): void {
    const [mark, other] = [old, now].map((type) => this.#checker.getPropertyOfType(type, opaqueMark));
    if (mark === undefined || mark === other) return;
    const ownerOf = (member: ts.Symbol) => (member as ts.Symbol & { readonly parent?: ts.Symbol }).parent;
    const same = other !== undefined && ownerOf(mark) === ownerOf(other);
    if (!same) this.#say(spot, 'unknown', 'it extends another type, which is declared outside of the package');
  }

  #memberSpot(spot: Spot, old: ts.Symbol, now: ts.Symbol): Spot {
    const name = `${this.#ownerName(spot, old)}.${shownName(old)}`;
    const text = (symbol: ts.Symbol) => () => signatureOf(this.#program, symbol);
    const [before, after] = [
      { symbol: old, text: text(old) },
      { symbol: now, text: text(now) },
    ];
    return { ...deeper(spot), name, old: before, new: after };
  }

  /** An inherited member is reported where it is declared, once. */
  #ownerName(spot: Spot, member: ts.Symbol): string {
    const { parent } = member as ts.Symbol & { readonly parent?: ts.Symbol };
    const flags = ts.SymbolFlags.Class | ts.SymbolFlags.Interface;
    const isNamed = parent !== undefined && (parent.flags & flags) !== 0 && parent.name !== 'default';
    return isNamed && spot.old.symbol !== parent && spot.depth === 0 ? this.#nameOf(parent) : spot.name;
  }

  #memberGone(spot: Spot, member: ts.Symbol, now: ts.Type): void {
    const name = `${this.#ownerName(spot, member)}.${shownName(member)}`;
    const side = { symbol: member, text: signatureOf(this.#program, member) };
    const isIndexed = this.#checker.getIndexInfosOfType(now).length > 0;
    const opaqueBase = this.#checker.getPropertyOfType(now, opaqueMark) !== undefined;
    const [effect, why]: [Effect, string] = isIndexed
      ? ['unknown', 'it is no longer declared; the index signature still allows it']
      : opaqueBase
        ? ['unknown', 'it is no longer declared here; a type from outside of the package may bring it']
        : ['breaking', spot.direction === 'in' ? 'it is no longer accepted' : 'it was removed'];
    this.#report({ name, effect, why, old: side, new: null });
  }

  #memberNew(spot: Spot, member: ts.Symbol, isMadeByUsers: boolean): void {
    const name = `${this.#ownerName(spot, member)}.${shownName(member)}`;
    const side = { symbol: member, text: signatureOf(this.#program, member) };
    const isOptional = (member.flags & ts.SymbolFlags.Optional) !== 0;
    const isToImplement =
      member.declarations?.some((node) => hasModifier(node, ts.SyntaxKind.AbstractKeyword)) === true;
    const [effect, why]: [Effect, string] = isToImplement
      ? ['breaking', 'a new abstract member: classes of users that extend it must implement it']
      : isOptional || !isMadeByUsers
        ? ['addition', 'new member']
        : spot.direction === 'in'
          ? ['breaking', 'users must now provide it']
          : ['unknown', 'a new required member, and no exported value shows whether users provide it'];
    this.#report({ name, effect, why, old: null, new: side });
  }

  #member(spot: Spot, old: ts.Symbol, now: ts.Symbol): void {
    const inner = this.#memberSpot(spot, old, now);
    if (this.#isAlike(inner, old, now)) return;
    const isOptional = (symbol: ts.Symbol) => (symbol.flags & ts.SymbolFlags.Optional) !== 0;
    if (isOptional(old) !== isOptional(now)) this.#optionality(inner, isOptional(now));
    if (inner.direction === 'out' && !isReadonly(old) && isReadonly(now) && (now.flags & ts.SymbolFlags.Method) === 0)
      this.#say(inner, 'breaking', 'users can no longer assign to it');
    // `| undefined` of an optional member is judged by its optionality alone.
    const typeOf = (symbol: ts.Symbol) => {
      const type = this.#checker.getTypeOfSymbol(symbol);
      return isOptional(old) !== isOptional(now) ? this.#checker.getNonNullableType(type) : type;
    };
    this.#relate(inner, typeOf(old), typeOf(now));
  }

  #optionality(spot: Spot, isOptionalNow: boolean): void {
    if (spot.direction === 'either')
      return void this.#say(
        spot,
        'unknown',
        `it is ${isOptionalNow ? 'optional' : 'required'} now, and no exported value shows who provides it`,
      );
    const isBreaking = spot.direction === 'out' ? isOptionalNow : !isOptionalNow;
    this.#say(
      spot,
      isBreaking ? 'breaking' : 'compatible',
      isOptionalNow
        ? spot.direction === 'out'
          ? 'it may be missing now'
          : 'users may leave it out now'
        : spot.direction === 'out'
          ? 'it is always there now'
          : 'users must now provide it',
    );
  }

  /**
   * Declarations of the same words differ only in what their names stand for, which is compared where it is declared.
   * @returns whether that is all there is to compare.
   */
  #isAlike(spot: Spot, old: ts.Symbol, now: ts.Symbol): boolean {
    // Members of a generic type with arguments put in are not what their declarations say.
    if (((old.flags | now.flags) & ts.SymbolFlags.Transient) !== 0 || !areDeclaredAlike(old, now)) return false;
    const after = declarationsOf(now);
    return declarationsOf(old).every((node, index) => this.#usesAlike(spot.direction, node, after[index] ?? node));
  }

  #usesAlike(direction: Direction, old: ts.Node, now: ts.Node): boolean {
    const found = usesOf(old, now).map((use) => {
      const symbols = [use.old, use.new].map((node) => this.#checker.getSymbolAtLocation(node));
      const [from, to] = symbols.map((symbol) => (symbol === undefined ? null : targetOf(this.#program, symbol)));
      return { ...use, from: from ?? null, to: to ?? null };
    });
    const isKnown = found.every(
      ({ from, to }) => from === to || (from !== null && to !== null && this.#isTwin(from, to)),
    );
    if (!isKnown) return false;
    for (const { from, to, as, isFlipped } of found) {
      if (from === null || to === null || from === to || (from.flags & ts.SymbolFlags.TypeParameter) !== 0) continue;
      const name = this.#nameOf(from);
      if (as === 'value') this.#value(name, from, to);
      else this.#declaredTypes(this.#spot(name, [from, to], isFlipped ? flip[direction] : direction), from, to);
    }
    return true;
  }

  #signatures(spot: Spot, allOld: readonly ts.Signature[], allNow: readonly ts.Signature[]): void {
    const [old, now] = this.#withoutAlike(spot, allOld, allNow);
    if (old.length === 0) {
      if (allOld.length > 0 && now.length > 0) this.#say(spot, 'addition', 'new overload');
      return;
    }
    const [only, other] = [old[0], now[0]];
    if (old.length === 1 && now.length === 1 && only !== undefined && other !== undefined) {
      this.#signature(spot, only, other);
      return;
    }
    const used = new Set<ts.Signature>();
    for (const [index, signature] of old.entries()) {
      const match =
        now.find((candidate) => !used.has(candidate) && this.#serves(spot, signature, candidate)) ??
        now.find((candidate) => this.#serves(spot, signature, candidate));
      if (match !== undefined) {
        used.add(match);
        continue;
      }
      const twin = old.length === now.length ? now[index] : undefined;
      if (twin !== undefined) {
        used.add(twin);
        this.#signature(spot, signature, twin);
        continue;
      }
      const isKnown = !isVagueSignature(this.#checker, signature);
      const text = signatureText(this.#program, '', signature);
      this.#say(spot, isKnown ? 'breaking' : 'unknown', `an overload was removed: ${text}`);
    }
    if (now.length > old.length) this.#say(spot, 'addition', 'new overload');
  }

  /** Signatures that are not declared by the same words. */
  #withoutAlike(
    spot: Spot,
    old: readonly ts.Signature[],
    now: readonly ts.Signature[],
  ): readonly [readonly ts.Signature[], readonly ts.Signature[]] {
    const left = new Set(now);
    const rest = old.filter((signature) => {
      const { declaration } = signature;
      if (declaration === undefined || isInstantiated(signature)) return true;
      const twin = [...left].find(
        (other) =>
          other.declaration !== undefined &&
          !isInstantiated(other) &&
          plainText(other.declaration) === plainText(declaration),
      );
      if (twin?.declaration === undefined || !this.#usesAlike(spot.direction, declaration, twin.declaration))
        return true;
      left.delete(twin);
      return false;
    });
    return [rest, now.filter((signature) => left.has(signature))];
  }

  /** Whether calls of the old signature work with the new one. */
  #serves(spot: Spot, old: ts.Signature, now: ts.Signature): boolean {
    const hasRoom = hasRest(now) || now.parameters.length >= old.parameters.length;
    const types = {
      old: signatureType(this.#checker, spot.scope.old, old),
      new: signatureType(this.#checker, spot.scope.new, now),
    };
    if (spot.direction === 'in') return this.#checker.isTypeAssignableTo(types.old, types.new);
    return hasRoom && this.#checker.isTypeAssignableTo(types.new, types.old);
  }

  #signature(spot: Spot, old: ts.Signature, now: ts.Signature): void {
    const [types, others] = [old.typeParameters ?? [], now.typeParameters ?? []];
    if (types.length !== others.length) {
      const isFine = types.length === 0 && this.#serves(spot, old, now);
      return void this.#say(spot, isFine ? 'compatible' : 'unknown', 'it has other type parameters');
    }
    const isOfClass = old.declaration !== undefined && ts.isConstructorDeclaration(old.declaration);
    if (types.length > 0 && !isOfClass && !this.#typeParameters(spot, types, others)) return;
    const inner = { ...spot, scope: joined(spot.scope, { old: types, new: others }) };
    this.#parameters(inner, old, now);
    const [thisOld, thisNew] = [thisParameterOf(old), thisParameterOf(now)];
    if (thisOld !== undefined && thisNew !== undefined)
      this.#relate(
        { ...deeper(inner), direction: flip[spot.direction] },
        this.#checker.getTypeOfSymbol(thisOld),
        this.#checker.getTypeOfSymbol(thisNew),
      );
    this.#results(inner, old, now);
  }

  #results(spot: Spot, old: ts.Signature, now: ts.Signature): void {
    const [before, after] = [old, now].map((signature) => this.#checker.getTypePredicateOfSignature(signature));
    if ((before === undefined) !== (after === undefined)) {
      const isLess = spot.direction === 'in' ? before === undefined : after === undefined;
      const why = `it ${after === undefined ? 'no longer narrows' : 'now narrows'} the type of its argument`;
      this.#say(spot, isLess ? 'breaking' : 'compatible', why);
      return;
    }
    const inner = { ...deeper(spot), name: `${spot.name}()` };
    if (before?.type !== undefined && after?.type !== undefined) {
      this.#relate(inner, before.type, after.type);
      return;
    }
    const [from, to] = [this.#checker.getReturnTypeOfSignature(old), this.#checker.getReturnTypeOfSignature(now)];
    const ignored = spot.direction === 'in' ? to : from;
    if ((ignored.flags & ts.TypeFlags.Void) !== 0) return;
    this.#relate(inner, from, to);
  }

  #parameters(spot: Spot, old: ts.Signature, now: ts.Signature): void {
    const [least, leastNow] = [minArguments(old), minArguments(now)];
    const [count, countNow] = [old.parameters.length, now.parameters.length];
    const taken = flip[spot.direction];
    if (spot.direction === 'in') {
      // A function of the users: it may ask for no more than it gets.
      if (countNow < count && !hasRest(now)) this.#say(spot, 'breaking', 'it is called with fewer arguments');
      else if (countNow > count && !hasRest(old)) this.#say(spot, 'addition', 'it is called with more arguments');
    } else {
      if (leastNow > least) this.#say(spot, 'breaking', `it needs ${leastNow} arguments, not ${least}`);
      else if (leastNow < least) this.#say(spot, 'compatible', `it needs ${leastNow} arguments, not ${least}`);
      if (countNow < count && !hasRest(now))
        this.#say(spot, 'breaking', `it takes at most ${countNow} arguments, not ${count}`);
      else if (countNow > count && leastNow <= least && !hasRest(old))
        this.#say(spot, 'addition', 'new optional parameter');
    }
    for (const [index, parameter] of old.parameters.entries()) {
      const other = now.parameters[Math.min(index, countNow - 1)];
      if (other === undefined || (index >= countNow && !hasRest(now))) break;
      const [isRest, isRestNow] = [hasRest(old) && index === count - 1, hasRest(now) && index >= countNow - 1];
      const [from, to] = [this.#checker.getTypeOfSymbol(parameter), this.#checker.getTypeOfSymbol(other)];
      const inner = { ...deeper(spot), name: `${spot.name}(${shownName(parameter)})`, direction: taken };
      // A method that users provide may take less than it is given, as far as the compiler goes.
      if (spot.direction === 'in' && isMethod(now) && this.#isEitherAssignable(inner, from, to)) continue;
      const isJudged = index >= least !== index >= leastNow;
      if (isRest === isRestNow) this.#relate(inner, this.#asTaken(from, isJudged), this.#asTaken(to, isJudged));
      else if (isRestNow) this.#relate(inner, from, this.#elementOf(to));
    }
  }

  #isEitherAssignable(spot: Spot, old: ts.Type, now: ts.Type): boolean {
    return this.#oldFits(spot, old, now) || this.#newFits(spot, old, now);
  }

  /** Where the number of arguments was judged already, that a parameter may be undefined is no other difference. */
  #asTaken(type: ts.Type, isJudged: boolean): ts.Type {
    const isOpen = (type.flags & (ts.TypeFlags.Any | ts.TypeFlags.Unknown | ts.TypeFlags.TypeParameter)) !== 0;
    return isJudged && !isOpen ? this.#checker.getNonNullableType(type) : type;
  }

  #elementOf(type: ts.Type): ts.Type {
    return this.#checker.getIndexTypeOfType(type, ts.IndexKind.Number) ?? type;
  }

  /** Whether a value of the old type may stand where the new one is expected. */
  #oldFits({ scope }: Spot, old: ts.Type, now: ts.Type): boolean {
    return this.#isAssignable([old, scope.old], [now, scope.new]);
  }

  /** Whether a value of the new type may stand where the old one is expected. */
  #newFits({ scope }: Spot, old: ts.Type, now: ts.Type): boolean {
    return this.#isAssignable([now, scope.new], [old, scope.old]);
  }

  #hasOwnLimits({ old, new: others }: Spot['scope']): boolean {
    return old.some((parameter, index) => {
      const [limit, other] = [parameter, others[index]].map((type) => type?.getConstraint());
      return limit !== other && limit !== undefined && (limit.flags & ts.TypeFlags.Object) !== 0;
    });
  }

  #isAssignable([source, from]: Scoped, [target, to]: Scoped): boolean {
    const isPlain =
      from.length === 0 || !(hasParameters(this.#checker, source) || hasParameters(this.#checker, target));
    if (isPlain) return this.#checker.isTypeAssignableTo(source, target);
    return this.#checker.isTypeAssignableTo(
      abstractedOver(this.#checker, from, source),
      abstractedOver(this.#checker, to, target),
    );
  }

  #say(spot: Spot, effect: Effect, why: string): void {
    const side = ({ symbol, text }: Spot['old']) => ({ symbol, text: text() });
    this.#report({ name: plainName(spot.name), effect, why, old: side(spot.old), new: side(spot.new) });
  }
}

/** The result of a function is reported as the function's own. */
const plainName = (name: string) => name.replace(/(?:\(\))+$/, '');

const deeper = (spot: Spot): Spot => ({ ...spot, depth: spot.depth + 1 });

/** Whether two types are the parameters that stand for each other. */
function isSameParameter({ old, new: others }: Spot['scope'], type: ts.Type, other: ts.Type): boolean {
  const index = old.indexOf(type as ts.TypeParameter);
  return index !== -1 && others[index] === other;
}

const joined = (scope: Spot['scope'], more: Spot['scope']): Spot['scope'] => ({
  old: [...scope.old, ...more.old],
  new: [...scope.new, ...more.new],
});
