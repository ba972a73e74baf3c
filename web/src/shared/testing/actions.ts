/** Actions as the server lists them. */
export const forms = [
  'cut PORT',
  'silence PORT',
  'silence PORT out|in',
  'disable DEVICE',
  'disable PORT',
  'disable PEER on ROUTER',
  'wait TIME',
  'restart ospf|bgp on ROUTER',
  'join PORT SEGMENT',
  'part PORT',
  'reset PEER|all on ROUTER',
  'resend from|to PEER on ROUTER',
  'withdraw SHARE on ROUTER',
  'advertise all on ROUTER',
  'settle',
].map((form) => ({ form, word: form.split(' ')[0] ?? '', says: '', example: '' }));
