const key = 'hellebore-scheme';

/** The colour scheme in force: what was chosen, else what the system prefers. */
export function scheme(): 'light' | 'dark' {
  const chosen = localStorage.getItem(key);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyScheme() {
  document.documentElement.className = scheme();
  document.documentElement.style.colorScheme = scheme();
}

export function toggleScheme() {
  localStorage.setItem(key, scheme() === 'dark' ? 'light' : 'dark');
  applyScheme();
}
