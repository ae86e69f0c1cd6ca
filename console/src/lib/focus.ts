// focus has the keyboard begin at an element once it is drawn: {@attach focus}.
export function focus(element: HTMLElement) {
  element.focus({ preventScroll: true });
}
