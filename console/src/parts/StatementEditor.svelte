<!-- A text of statements with its words coloured and its faults underlined where they are. -->
<script lang="ts">
  import { autocompletion } from "@codemirror/autocomplete";
  import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
  import { setDiagnostics, type Diagnostic } from "@codemirror/lint";
  import { EditorState } from "@codemirror/state";
  import { EditorView } from "@codemirror/view";
  import { tags } from "@lezer/highlight";
  import { basicSetup } from "codemirror";
  import type { Schemas } from "../lib/api";
  import { isKeyword, isSubject, offered, type Vocabulary } from "../lib/language";

  let { text = $bindable(""), faults, label, known, readonly = false }: { text?: string; faults: Schemas["Fault"][]; label: string; known: Vocabulary | null; readonly?: boolean } = $props();

  const language = StreamLanguage.define<null>({
    startState: () => null,
    token(stream) {
      if (stream.match(/#.*/)) return "comment";
      if (stream.match(/"(\\.|[^"\\])*"?/)) return "string";
      const word = stream.match(/[A-Za-z0-9_./@+-]+/);
      if (word && typeof word !== "boolean") {
        if (word[0] === "never" || word[0] === "only") return "invalid";
        if (isKeyword(word[0])) return "keyword";
        return isSubject(word[0]) ? "typeName" : null;
      }
      stream.next();
      return null;
    },
  });
  const colours = syntaxHighlighting(
    HighlightStyle.define([
      { tag: tags.keyword, class: "text-primary-700 dark:text-primary-300" },
      { tag: tags.typeName, class: "font-semibold" },
      { tag: tags.invalid, class: "font-semibold text-copper-700 dark:text-copper-300" },
      { tag: tags.string, class: "text-primary-600 dark:text-primary-200" },
      { tag: tags.comment, class: "text-gray-500 dark:text-gray-400 italic" },
    ]),
  );

  // In the colours of the page, light or dark.
  const look = EditorView.theme({
    "&": { backgroundColor: "transparent", color: "inherit", fontSize: "0.93rem" },
    "&.cm-focused": { outline: "2px solid var(--color-primary-500)", outlineOffset: "-1px" },
    ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.6" },
    ".cm-content": { minHeight: "9rem", caretColor: "currentColor" },
    ".cm-gutters": { backgroundColor: "transparent", color: "inherit", border: "none" },
    ".cm-lineNumbers .cm-gutterElement": { paddingLeft: "0.75rem" },
    ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "rgb(47 125 97 / 0.09)" },
    ".cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground": { backgroundColor: "rgb(47 125 97 / 0.25)" },
    ".cm-cursor": { borderLeftColor: "currentColor" },
    ".cm-tooltip.cm-tooltip-autocomplete > ul": { fontFamily: "var(--font-mono)", maxHeight: "14rem" },
    ".cm-tooltip.cm-tooltip-autocomplete > ul > li": { padding: "0.15rem 0.6rem" },
    ".cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]": { backgroundColor: "var(--color-primary-600)" },
    ".cm-diagnosticAction": { backgroundColor: "var(--color-primary-600)", borderRadius: "0.3rem", padding: "0.15rem 0.5rem" },
    ".cm-tooltip": { backgroundColor: "var(--color-gray-900)", color: "var(--color-gray-50)", border: "none", borderRadius: "0.5rem" },
  });

  let view: EditorView | undefined;
  const wordAt = /^(?:"[^"]*"|[^\s,()":]+)/; // what a fault is about, from its column on

  function mount(node: HTMLElement) {
    view = new EditorView({
      parent: node,
      state: EditorState.create({
        doc: text,
        extensions: [
          basicSetup,
          autocompletion({
            icons: false,
            override: [
              (asked) => {
                const line = asked.state.doc.lineAt(asked.pos);
                if (!known) return null;
                const next = offered(line.text.slice(0, asked.pos - line.from), known);
                if (next.written === 0 && !asked.explicit) return null;
                return { from: asked.pos - next.written, options: next.words.map((label) => ({ label })), validFor: /^[\p{L}\d_./@+-]*$/u };
              },
            ],
          }),
          language,
          colours,
          look,
          EditorView.cspNonce.of(document.querySelector<HTMLMetaElement>("meta[name=style-nonce]")?.content ?? ""),
          EditorView.lineWrapping,
          EditorState.readOnly.of(readonly),
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) text = update.state.doc.toString();
          }),
        ],
      }),
    });
    return { destroy: () => view?.destroy() };
  }

  // mend writes the word that was meant in the place of a fault's.
  export function mend(fault: Schemas["Fault"]) {
    if (!view || !fault.nearest || fault.line > view.state.doc.lines) return;
    const line = view.state.doc.line(fault.line);
    const from = Math.min(line.from + fault.column - 1, line.to);
    const length = wordAt.exec(view.state.doc.sliceString(from, line.to))?.[0].length ?? 0;
    view.dispatch({ changes: { from, to: from + length, insert: fault.nearest } });
    view.focus();
  }

  // A text that was put in from elsewhere, such as a pattern, replaces what is there.
  $effect(() => {
    if (view && text !== view.state.doc.toString()) {
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    }
  });

  $effect(() => {
    if (!view) return;
    const doc = view.state.doc;
    const marks: Diagnostic[] = faults.flatMap((fault) => {
      if (fault.line > doc.lines) return [];
      const line = doc.line(fault.line);
      const from = Math.min(line.from + fault.column - 1, line.to);
      const word = wordAt.exec(doc.sliceString(from, line.to))?.[0].length ?? 0;
      const mend = fault.nearest;
      const actions = mend && !readonly ? [{ name: `Write ${mend}`, apply: (editor: EditorView, at: number, to: number) => editor.dispatch({ changes: { from: at, to, insert: mend } }) }] : [];
      return [{ from, to: from + word, severity: "error" as const, message: fault.detail, actions }];
    });
    view.dispatch(setDiagnostics(view.state, marks));
  });
</script>

<div use:mount class="statements overflow-hidden rounded-lg border border-gray-300 bg-white dark:border-gray-600 dark:bg-gray-900" data-test="statements"></div>
