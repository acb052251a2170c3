/** What elements are made of by `h`: handlers know their events, and the element that an event of a control is of. */

type Handler<E, Of extends Event> = (event: Of & { target: E; currentTarget: E }) => unknown;

export interface Attributes<E> {
  // biome-ignore lint/suspicious/noExplicitAny: attributes are texts, numbers, flags, and data
  [name: string]: any;
  onclick?: Handler<E, MouseEvent> | null;
  ondblclick?: Handler<E, MouseEvent> | null;
  onmousedown?: Handler<E, MouseEvent> | null;
  onpointerdown?: Handler<E, PointerEvent> | null;
  onpointermove?: Handler<E, PointerEvent> | null;
  onchange?: Handler<E, Event> | null;
  oninput?: Handler<E, InputEvent> | null;
  onkeydown?: Handler<E, KeyboardEvent> | null;
  onfocus?: Handler<E, FocusEvent> | null;
  onblur?: Handler<E, FocusEvent> | null;
  onpaste?: Handler<E, ClipboardEvent> | null;
  onsubmit?: Handler<E, SubmitEvent> | null;
  ontoggle?: Handler<E, Event> | null;
  ondrop?: Handler<E, DragEvent> | null;
  ondragover?: Handler<E, DragEvent> | null;
}

/** What stands on the pages under an id and is no plain element. */
export interface Standing {
  dialog: HTMLDialogElement;
  confirm: HTMLDialogElement;
  "add-box": HTMLInputElement;
  "file-input": HTMLInputElement;
  "folder-input": HTMLInputElement;
  "import-file": HTMLInputElement;
  "start-file": HTMLInputElement;
  run: HTMLButtonElement;
  undo: HTMLButtonElement;
  redo: HTMLButtonElement;
}

declare global {
  interface HTMLElementEventMap {
    // biome-ignore lint/suspicious/noExplicitAny: what was found in a file follows from its format
    detected: CustomEvent<any>;
  }
  // What is looked for in our pages is HTML; pictures are drawn by `svg`.
  interface ParentNode {
    querySelector<E extends HTMLElement = HTMLElement>(selectors: string): E | null;
    querySelectorAll<E extends HTMLElement = HTMLElement>(selectors: string): NodeListOf<E>;
  }
}
