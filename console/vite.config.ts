import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { marked } from "marked";
import { defineConfig, type Plugin } from "vite";

// Each line of an example is an element of its own, so that one that is broken is told from the next.
const escaped = (text: string) => text.replace(/&/g, "&amp;").replace(/</g, "&lt;");
marked.use({ renderer: { code: ({ text }) => `<pre>${text.split("\n").map((line) => `<span>${escaped(line)}</span>`).join("")}</pre>` } });

// A page of docs comes as its topics, each a title and HTML made when the console is built: what reads Markdown is not shipped.
function topics(): Plugin {
  return {
    name: "topics",
    transform(text, id) {
      if (!id.endsWith(".md?topics")) return null;
      const parts = text.split("\n## ").slice(1).map((part) => {
        const [title, ...rest] = part.split("\n");
        return { title, html: marked.parse(rest.join("\n"), { async: false }) };
      });
      return { code: "export default " + JSON.stringify(parts), map: null };
    },
  };
}

// A glossary comes as its rows, each what is explained and how, as HTML.
function words(): Plugin {
  return {
    name: "words",
    transform(text, id) {
      if (!id.endsWith(".md?words")) return null;
      const rows = text.split("\n").flatMap((line) => {
        const cells = /^\| (.+) \| (.+) \|$/.exec(line);
        return cells?.[1] && cells[2] && cells[1] !== "word" ? [{ word: cells[1], meaning: marked.parseInline(cells[2], { async: false }) }] : [];
      });
      return { code: "export default " + JSON.stringify(rows), map: null };
    },
  };
}

export default defineConfig({
  plugins: [topics(), words(), tailwindcss(), svelte()],
  build: { outDir: "dist", emptyOutDir: true, assetsInlineLimit: 0, modulePreload: { polyfill: false } },
});
