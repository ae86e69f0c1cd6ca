<!-- A text of statements with its words coloured and its faults underlined where they are. -->
<script lang="ts">
  import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
  import { setDiagnostics, type Diagnostic } from "@codemirror/lint";
  import { EditorState } from "@codemirror/state";
  import { EditorView } from "@codemirror/view";
  import { tags } from "@lezer/highlight";
  import { basicSetup } from "codemirror";
  import type { Schemas } from "../lib/api";

  let { text = $bindable(""), faults, label, readonly = false }: { text?: string; faults: Schemas["Fault"][]; label: string; readonly?: boolean } = $props();

  const modals = /^(may|never|only|except|act|as|do|anything|if|from|until|under|at|here|data|of|to|and|or|not|is|in|with|before|after|starts|within)$/;
  const subjects = /^(everyone|staff|guests|signed-in|public|people|user|service|account)$/;
  const language = StreamLanguage.define<null>({
    startState: () => null,
    token(stream) {
      if (stream.match(/#.*/)) return "comment";
      if (stream.match(/"(\\.|[^"\\])*"?/)) return "string";
      const word = stream.match(/[A-Za-z0-9_./@+-]+/);
      if (word && typeof word !== "boolean") {
        if (word[0] === "never" || word[0] === "only") return "invalid";
        if (modals.test(word[0])) return "keyword";
        return subjects.test(word[0]) ? "typeName" : null;
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
    ".cm-tooltip": { backgroundColor: "var(--color-gray-900)", color: "var(--color-gray-50)", border: "none", borderRadius: "0.5rem" },
  });

  let view: EditorView | undefined;

  function mount(node: HTMLElement) {
    view = new EditorView({
      parent: node,
      state: EditorState.create({
        doc: text,
        extensions: [
          basicSetup,
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
      const word = /^\S+/.exec(doc.sliceString(from, line.to))?.[0].length ?? 0;
      return [{ from, to: from + word, severity: "error" as const, message: fault.detail }];
    });
    view.dispatch(setDiagnostics(view.state, marks));
  });
</script>

<div use:mount class="statements overflow-hidden rounded-lg border border-gray-300 bg-white dark:border-gray-600 dark:bg-gray-900" data-test="statements"></div>
