// focus has the keyboard begin at an element once it is drawn: {@attach focus}.
export function focus(element: HTMLElement) {
  element.dataset.autofocus = ""; // a dialog that opens after this gives it the focus, not its first field
  element.focus({ preventScroll: true });
}
