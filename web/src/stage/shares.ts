/** Where the pointer is in an element, shares of its width and height. */
export const sharesIn = (event: { clientX: number; clientY: number }, rect: DOMRect) =>
  [(event.clientX - rect.left) / rect.width, (event.clientY - rect.top) / rect.height] as const;
