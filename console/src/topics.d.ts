// A page of docs as its topics: vite.config.ts makes it.
declare module "*.md?topics" {
  const topics: { title: string; html: string }[];
  export default topics;
}
