/** The text of a lab that is a copy of another: the same but for its title. */
export function copyOf(text: string): string {
  const title = /^lab "([^"\n]*)"/m;
  return title.test(text)
    ? text.replace(title, (_, name: string) => `lab "${name}, copy"`)
    : `lab "Copy"\n\n${text}`;
}
