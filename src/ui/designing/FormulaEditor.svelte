<script lang="ts">
  import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
  import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
  import { syntaxHighlighting, HighlightStyle } from '@codemirror/language';
  import { linter, setDiagnostics } from '@codemirror/lint';
  import { EditorState } from '@codemirror/state';
  import { EditorView, keymap, placeholder as placeholderText } from '@codemirror/view';
  import { tags } from '@lezer/highlight';
  import { feelLanguage } from '@bpmn-io/lang-feel';
  import { untrack } from 'svelte';
  import type { Names } from '$lib/core/formula/scope';
  import { completions } from '$lib/core/formula/completion';
  import type { FormulaProblem } from '$lib/core/formula/syntax';
  import type { EntryHost } from '$lib/core/plan/formulas';

  interface Props {
    id: string;
    label: string;
    value: string;
    placeholder?: string;
    names: Names<EntryHost>;
    /** What is wrong with the text as it stands. */
    found: FormulaProblem | null;
    describedby: string;
    /** Takes every change of the text. */
    ontext: (text: string) => void;
    /** Told when the cursor leaves. */
    onleave?: () => void;
    /** Whether the cursor starts here. */
    starts?: boolean;
  }
  let {
    id,
    label,
    value,
    placeholder = '',
    names,
    found,
    describedby,
    ontext,
    onleave,
    starts = false,
  }: Props = $props();

  let view: EditorView | undefined;

  const colours = HighlightStyle.define([
    { tag: tags.keyword, class: 'fx-key' },
    { tag: [tags.string, tags.special(tags.string)], class: 'fx-text' },
    { tag: [tags.number, tags.bool], class: 'fx-number' },
    { tag: [tags.operator, tags.arithmeticOperator, tags.compareOperator], class: 'fx-sign' },
    { tag: tags.function(tags.variableName), class: 'fx-call' },
  ]);

  function editor(node: HTMLElement) {
    const made = new EditorView({
      parent: node,
      state: EditorState.create({
        doc: untrack(() => value),
        extensions: [
          feelLanguage,
          syntaxHighlighting(colours),
          history(),
          closeBrackets(),
          // What is wrong stands under the editor; it is only underlined here.
          linter(null, { tooltipFilter: () => [] }),
          autocompletion({ override: [complete], icons: false }),
          keymap.of([
            // Tab leaves the editor, as everywhere else in the sheet.
            ...completionKeymap,
            ...historyKeymap,
            ...defaultKeymap,
          ]),
          placeholderText(untrack(() => placeholder)),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({
            id: untrack(() => id),
            'aria-label': untrack(() => label),
            'aria-describedby': untrack(() => describedby),
          }),
          EditorView.domEventHandlers({ blur: () => void onleave?.() }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) ontext(update.state.doc.toString());
          }),
        ],
      }),
    });
    view = made;
    if (untrack(() => starts)) setTimeout(() => made.focus());
    return () => made.destroy();
  }

  function complete(context: { state: EditorState; pos: number; explicit: boolean }) {
    const found = completions(names, context.state.doc.toString(), context.pos);
    if (!found || (!context.explicit && found.from === context.pos && !behindPoint(context))) {
      return null;
    }
    const options = found.words.map(({ label, what, detail }) => ({
      label,
      detail,
      type: what,
      apply: what === 'function' ? `${label}()` : label,
      boost: what === 'function' ? -1 : 1,
    }));
    return { from: found.from, options, validFor: /^\w*$/ };
  }

  function behindPoint({ state, pos }: { state: EditorState; pos: number }): boolean {
    return state.sliceDoc(pos - 1, pos) === '.';
  }

  /** What comes from outside (undo, another field) replaces the text; what was typed here is there already. */
  $effect(() => {
    const text = value;
    if (!view || view.state.doc.toString() === text || view.hasFocus) return;
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
  });

  $effect(() => {
    if (!view) return;
    const length = view.state.doc.length;
    const marks = found
      ? [
          {
            from: Math.min(found.from, Math.max(0, length - 1)),
            to: Math.min(Math.max(found.to, found.from + 1), length),
            severity: 'error' as const,
            message: found.problem.message,
          },
        ]
      : [];
    view.dispatch(setDiagnostics(view.state, length === 0 ? [] : marks));
  });
</script>

<div class={['formula', found !== null && 'border-crimson']} {@attach editor}></div>
