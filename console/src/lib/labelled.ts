// On a narrow screen each row of a table stands as a card, its cells below one another. labelled gives each cell the words of
// its column, which stand before it there.
export function labelled(table: HTMLElement): () => void {
  const label = () => {
    const words = [...table.querySelectorAll("thead th")].map((th) => (th.querySelector(".sr-only") ? "" : (th.textContent?.trim() ?? "")));
    for (const row of table.querySelectorAll("tbody tr")) {
      [...row.children].forEach((cell, i) => {
        if (cell instanceof HTMLTableCellElement && cell.colSpan === 1 && cell.dataset.label !== words[i]) cell.dataset.label = words[i] ?? "";
      });
    }
  };
  label();
  const watch = new MutationObserver(label);
  watch.observe(table, { childList: true, subtree: true });
  return () => watch.disconnect();
}
