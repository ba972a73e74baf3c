const number = (address: string) => address.split('.').reduce((n, part) => n * 256 + Number(part), 0);

/** Whether a prefix has to do with what is in focus: it covers an address, or is in or covers a prefix. */
export function matches(prefix: string, to: string): boolean {
  if (to === '' || to.startsWith('flow ')) return true;
  const [base = '', length = '32'] = prefix.split('/');
  const [address = '', own = '32'] = to.split('/');
  const shared = Math.min(Number(length), Number(own));
  const size = 2 ** (32 - shared);
  return Math.floor(number(base) / size) === Math.floor(number(address) / size);
}
