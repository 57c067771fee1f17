import { autocompletion, type Completion, type CompletionResult } from '@codemirror/autocomplete';
import type { Extension } from '@codemirror/state';
import { hoverTooltip, type Tooltip } from '@codemirror/view';
import type { ExpressionFunction } from '@/api/functions';

/** Names that expressions begin with. */
const names: Completion[] = [
  ['call', 'the call: method, path, query, headers, cookies, body, text, caller, certificate'],
  ['call.path', 'the parameters of the path'],
  ['call.query', 'the query, by name'],
  ['call.headers', 'the headers, by name in lower case'],
  ['call.body', 'the body, as JSON'],
  ['vars', 'the variables, by name'],
  ['original', 'the answer that is changed: status, headers and body'],
].map(([label = '', detail]) => ({ label, type: 'variable', detail }));

/** A variable as completions name it. */
export interface KnownVariable {
  name: string;
  origin: string;
}

const variableName = ({ name, origin }: KnownVariable): Completion => ({
  label: `vars.${name}`,
  type: 'variable',
  detail: `set by ${origin}`,
});

/** Where a line stands in an expression: between ${ and its }, or behind `if:`. */
export function inExpression(before: string): boolean {
  const opened = before.lastIndexOf('${');
  if (opened >= 0 && before[opened - 1] !== '$' && !before.slice(opened).includes('}')) return true;
  return /^\s*(?:- )?(?:\{ *)?if: /.test(before);
}

/** How a function is called behind a value, or "" for one that stands alone. */
function behind(call: string): string {
  return /^(?:list|text|object|value|time|number|bytes)\.(.*)$/.exec(call)?.[1] ?? '';
}

function completionOf({ call, says, example, gives }: ExpressionFunction): Completion {
  const label = behind(call) || call;
  const name = label.replace(/\(.*$/, '');
  return {
    label: name,
    apply: `${name}(`,
    type: 'function',
    detail: call,
    info: () => explained(says, example, gives),
  };
}

function explained(says: string, example: string, gives: string): HTMLElement {
  const box = document.createElement('div');
  box.className = 'max-w-[420px] p-1 text-[13px]';
  const text = box.appendChild(document.createElement('p'));
  text.textContent = says;
  const code = box.appendChild(document.createElement('p'));
  code.className = 'mt-1 font-mono text-xs break-words';
  code.textContent = `${example} → ${gives}`;
  return box;
}

/** What could stand at the end of the text of a line; null outside of expressions. */
export function completionsFor(
  before: string,
  functions: ExpressionFunction[],
  variables: KnownVariable[] = [],
): (Omit<CompletionResult, 'from'> & { word: string }) | null {
  if (!inExpression(before)) return null;
  const word = /[\w.]*$/.exec(before)?.[0] ?? '';
  const dot = word.lastIndexOf('.');
  const afterValue = dot > 0 || /[)\]]\.\w*$/.test(before);
  const alone = functions.filter(({ call }) => !behind(call)).map(completionOf);
  const known = [...names, ...variables.map(variableName)];
  if (!afterValue) return { word, options: [...known, ...alone] };
  const options = functions.filter(({ call }) => behind(call)).map(completionOf);
  const whole = [...known, ...alone].filter(({ label }) => label.startsWith(word.slice(0, dot + 1)));
  // call. and random. have names of their own
  return whole.length > 0 && dot > 0
    ? {
        word,
        options: [
          ...whole,
          ...options.map((o) => ({
            ...o,
            label: word.slice(0, dot + 1) + o.label,
            apply: word.slice(0, dot + 1) + o.apply,
          })),
        ],
      }
    : { word: word.slice(dot + 1), options };
}

/** The functions that a word of an expression names. */
export function functionsNamed(word: string, functions: ExpressionFunction[]): ExpressionFunction[] {
  return functions.filter(({ call }) => {
    const name = call.replace(/\(.*$/, '');
    return name === word || (behind(call) !== '' && name.split('.').at(-1) === word.split('.').at(-1));
  });
}

/** Completes and explains functions in the expressions of a text. */
export function expressionHelp(functions: ExpressionFunction[], variables: KnownVariable[]): Extension {
  return [
    autocompletion({
      override: [
        ({ state, pos, explicit }) => {
          const line = state.doc.lineAt(pos);
          const found = completionsFor(line.text.slice(0, pos - line.from), functions, variables);
          if (!found || (found.word === '' && !explicit && state.sliceDoc(pos - 1, pos) !== '.')) return null;
          return { from: pos - found.word.length, options: found.options, validFor: /^\w*$/ };
        },
      ],
    }),
    hoverTooltip((view, pos): Tooltip | null => {
      const line = view.state.doc.lineAt(pos);
      if (!inExpression(line.text.slice(0, pos - line.from))) return null;
      const word = view.state.wordAt(pos);
      if (!word) return null;
      const start = line.text.slice(0, word.to - line.from);
      const [found] = functionsNamed(/[\w.]*$/.exec(start)?.[0] ?? '', functions);
      if (!found) return null;
      return {
        pos: word.from,
        end: word.to,
        create: () => ({ dom: explained(`${found.call}: ${found.says}`, found.example, found.gives) }),
      };
    }),
  ];
}
