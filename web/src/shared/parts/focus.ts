/** A ref that puts the cursor into a field when it appears, since a click asked for the field. */
export const focusOnce = (e: HTMLInputElement | null) => e?.focus();
