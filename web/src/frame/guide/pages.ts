import language from '../../../../docs/language.md?raw';

const texts = import.meta.glob<string>('../../../../docs/guide/*.md', {
  query: '?raw',
  import: 'default',
  eager: true,
});
const maps = import.meta.glob<string>('../../../../docs/guide/maps/*.svg', {
  query: '?url',
  import: 'default',
  eager: true,
});
const shots = import.meta.glob<string>(
  '../../../../docs/screenshots/{neighbours,paths,preview,compare,why}.png',
  {
    query: '?url',
    import: 'default',
    eager: true,
  },
);

export interface GuidePage {
  /** The name in its address. */
  name: string;
  title: string;
  text: string;
}

/** "docs/guide/03-adding-a-router.md" is adding-a-router. */
const nameOf = (path: string) => /\/\d+-([^/]+)\.md$/.exec(path)?.[1] ?? path;

const titleOf = (text: string) => /^# (.*)$/m.exec(text)?.[1] ?? '';

/** The guide's pages in their order: a page for each job. */
export const pages: GuidePage[] = Object.entries(texts)
  .sort(([a], [b]) => (a < b ? -1 : 1))
  .map(([path, text]) => ({ name: nameOf(path), title: titleOf(text), text }));

/** The reference of the lab language. */
export const reference: GuidePage = { name: 'language', title: titleOf(language), text: language };

/** Where a picture of a page is in the built client. */
export function pictureOf(src: string): string {
  const file = src.split('/').at(-1) ?? '';
  const all = { ...maps, ...shots };
  const path = Object.keys(all).find((p) => p.endsWith(`/${file}`));
  return (path && all[path]) ?? src;
}
