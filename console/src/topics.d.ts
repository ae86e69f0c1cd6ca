// A page of docs as its topics: vite.config.ts makes it.
declare module "*.md?topics" {
  const topics: { title: string; html: string }[];
  export default topics;
}

// A glossary as its rows: vite.config.ts makes it.
declare module "*.md?words" {
  const rows: { word: string; meaning: string }[];
  export default rows;
}
