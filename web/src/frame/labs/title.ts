const title = /^lab "([^"\n]*)"/m;

/** The same text with another title. A title holds no quotation mark: that would end it. */
export function titled(text: string, name: string): string {
  const line = `lab "${name.replaceAll('"', "'").trim()}"`;
  return title.test(text) ? text.replace(title, () => line) : `${line}\n\n${text}`;
}

/** The text of a lab that is a copy of another: the same but for its title. */
export function copyOf(text: string): string {
  const name = title.exec(text)?.[1];
  return titled(text, name === undefined ? 'Copy' : `${name}, copy`);
}
