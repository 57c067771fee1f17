import { autocompletion, type Completion, type CompletionResult } from '@codemirror/autocomplete';
import type { Extension } from '@codemirror/state';
import {
  Decoration,
  type DecorationSet,
  type EditorView,
  hoverTooltip,
  type Tooltip,
  ViewPlugin,
  WidgetType,
} from '@codemirror/view';
import type { ExpressionFunction } from '@/api/functions';
import { expressionsIn } from '@/lib/expressions';
import { fieldSource, type KnownField } from './fieldHelp';

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

/** A name that the chosen call gives a value, as JSON. */
export interface SeenValue {
  name: string;
  value: string;
}

const seenName = ({ name, value }: SeenValue): Completion => ({
  label: name,
  type: 'variable',
  detail: `= ${shortened(value)}`,
  boost: 10, // what is there comes before what could be done with it
});

/** What an expression gives for the chosen call: its value as JSON, or why it gives none. */
export type Values = Map<string, { value?: string; fault?: string }>;

const mostShown = 40;
const shortened = (text: string) => (text.length > mostShown ? `${text.slice(0, mostShown - 1)}…` : text);

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
  seen: SeenValue[] = [],
): (Omit<CompletionResult, 'from'> & { word: string }) | null {
  if (!inExpression(before)) return null;
  const word = /[\w.]*$/.exec(before)?.[0] ?? '';
  const dot = word.lastIndexOf('.');
  const afterValue = dot > 0 || /[)\]]\.\w*$/.test(before);
  const alone = functions.filter(({ call }) => !behind(call)).map(completionOf);
  const known = [...names, ...seen.map(seenName), ...variables.map(variableName)];
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

/** A value behind its expression. */
class ValueMark extends WidgetType {
  constructor(
    readonly text: string,
    readonly failed: boolean,
  ) {
    super();
  }
  override eq(other: ValueMark) {
    return other.text === this.text && other.failed === this.failed;
  }
  override toDOM() {
    const mark = document.createElement('span');
    mark.className = this.failed ? 'cm-value cm-value-fault' : 'cm-value';
    mark.textContent = this.failed ? ' ?' : ` = ${shortened(this.text)}`;
    mark.title = this.text;
    return mark;
  }
}

/** Shows behind each expression what it gives for the chosen call. */
function shownValues(values: Values): Extension {
  const marked = (view: EditorView): DecorationSet => {
    const marks = view.visibleRanges.flatMap(({ from, to }) =>
      expressionsIn(view.state.sliceDoc(from, to)).flatMap((placed) => {
        const found = values.get(placed.expression);
        if (!found) return [];
        const widget = new ValueMark(found.fault ?? found.value ?? '', found.fault !== undefined);
        return [Decoration.widget({ widget, side: 1 }).range(from + placed.to)];
      }),
    );
    return Decoration.set(marks, true);
  };
  return ViewPlugin.define(
    (view) => ({
      marks: marked(view),
      update(update) {
        if (update.docChanged || update.viewportChanged) this.marks = marked(update.view);
      },
    }),
    { decorations: (plugin) => plugin.marks },
  );
}

/** What is known of the call that a mapping is written for. */
export interface CallKnown {
  seen?: SeenValue[];
  values?: Values;
  /** The fields that a document of JSON has by the contract. */
  fields?: KnownField[];
}

/** Completes and explains functions in the expressions of a text, and shows what these give. */
export function expressionHelp(
  functions: ExpressionFunction[],
  variables: KnownVariable[],
  { seen, values, fields = [] }: CallKnown = {},
): Extension {
  return [
    values ? shownValues(values) : [],
    autocompletion({
      override: [
        ({ state, pos, explicit }) => {
          const line = state.doc.lineAt(pos);
          const found = completionsFor(line.text.slice(0, pos - line.from), functions, variables, seen);
          if (!found || (found.word === '' && !explicit && state.sliceDoc(pos - 1, pos) !== '.')) return null;
          return { from: pos - found.word.length, options: found.options, validFor: /^\w*$/ };
        },
        ...(fields.length > 0 ? [fieldSource(fields)] : []),
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
