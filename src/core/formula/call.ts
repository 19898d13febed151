import { say } from '../words/say';
import type { Compiling, Piece, Scope } from './scope';
import { isList, kindOf, type Feel } from './feel';
import type { Frame } from './frame';
import { compileHigher, higherFunctions } from './functions-given';
import { functions } from './functions/all';
import { parameterNames, positionsOf } from './functions/parameters';
import type { FeelFunction } from './functions/signature';
import { fits, kindWords, type Kind } from './kinds';
import { nearest } from './nearest';
import type { Node } from './syntax';

/** Makes a function call ready: its name, the number of its parameters and their kinds are checked. */
export function compileCall<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'call' }>,
  scope: Scope<H>,
): Piece<H> {
  if (node.named) return compileCall(compiler, inOrder(compiler, node, node.named), scope);
  const { name, parameters } = node;
  if (Object.hasOwn(higherFunctions, name)) return compileHigher(compiler, node, scope);
  const called = Object.hasOwn(functions, name) ? functions[name] : undefined;
  if (!called) {
    const like = nearest(name, [...Object.keys(functions), ...Object.keys(higherFunctions)]);
    const hint = like ? say(`Did you mean ${like}?`) : '';
    return compiler.refuse('formula_unknown_function', node, { name, hint });
  }
  const least = called.parameters.length - (called.optional ?? 0);
  const most = called.rest ? Infinity : called.parameters.length;
  if (parameters.length < least || parameters.length > most) {
    const taken = countWords(least, most);
    return compiler.refuse('formula_parameters', node, { name, taken, given: parameters.length });
  }
  const pieces = parameters.map((parameter, i) => {
    const piece = compiler.compile(parameter, scope);
    const wanted = wantedAt(called, i);
    if (!fits(piece.kind, wanted)) {
      compiler.refuse('formula_wrong_kind', parameter, {
        given: compiler.text(parameter),
        kind: kindWords(piece.kind),
        wanted: kindWords(wanted),
      });
    }
    return piece;
  });
  const kinds = pieces.map((piece) => piece.kind);
  const kind = typeof called.gives === 'function' ? called.gives(kinds) : called.gives;
  const runs = pieces.map((piece) => piece.run);
  const run = (frame: Frame<H>): Feel => {
    const given = runs.map((work) => work(frame));
    for (let i = 0; i < given.length; i++) {
      const value = given[i] ?? null;
      if (value === null) {
        if (!called.withAbsent) return null;
        continue;
      }
      const wanted = wantedAt(called, i);
      if (wanted.is === 'any') continue;
      if (wanted.is === 'list') {
        // A single value counts as a list of one (DMN 1.5, 10.3.2.9.4).
        if (!isList(value)) given[i] = [value];
      } else if (kindOf(value) !== wanted.is) return frame.warn('wrong_kind');
    }
    return called.run(given, frame);
  };
  return { kind, run };
}

/** A call by names as one by positions; what is left out between two others is absent. */
function inOrder<H>(
  compiler: Compiling<H>,
  { named: _, ...node }: Extract<Node, { type: 'call' }>,
  names: readonly string[],
): Extract<Node, { type: 'call' }> {
  const positions = positionsOf(node.name, names);
  if (!positions) {
    const hint = (parameterNames[node.name] ?? []).join(', ');
    const details = { name: names.join(', '), hint: hint && say(`It takes ${hint}.`) };
    return compiler.refuse('formula_unknown_name', node, details);
  }
  const { from, to } = node;
  const parameters: Node[] = Array.from({ length: Math.max(...positions) + 1 }, () => {
    return { from, to, type: 'null' };
  });
  positions.forEach((position, i) => (parameters[position] = node.parameters[i] as Node));
  return { ...node, parameters };
}

function wantedAt(called: FeelFunction, i: number): Kind {
  return called.parameters[i] ?? called.rest ?? { is: 'any' };
}

function countWords(least: number, most: number): string {
  if (most === Infinity) return say(`${least} or more values`);
  const several = least === most ? `${most}` : say(`${least} to ${most}`);
  return `${several} ${most === 1 ? 'value' : 'values'}`;
}
