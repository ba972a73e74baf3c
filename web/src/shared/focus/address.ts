/** Whether a text is a prefix or an address: what routes can be asked for by. */
export const isAddress = (text: string) => /^\d{1,3}(\.\d{1,3}){3}(\/\d{1,2})?$/.test(text);
