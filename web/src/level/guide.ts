import { marked } from 'marked'

/** A part of the guide: what it is called, and its text as HTML and as plain words for searching. */
export interface Section {
  title: string
  html: string
  words: string
}

const TITLE = /^\*\*([^*]+)\*\*/

/**
 * The guide's parts: each begins with a paragraph whose first words are bold. `pictures` gives the addresses
 * of those that it shows, by their names.
 */
export function sectionsOf(guide: string, pictures: Record<string, string> = {}): Section[] {
  const parts: { title: string; text: string }[] = []
  for (const paragraph of guide.split(/\n\s*\n/)) {
    const title = TITLE.exec(paragraph)?.[1]
    if (title) parts.push({ title: title.replace(/\.$/, ''), text: paragraph })
    else if (parts.length) parts[parts.length - 1]!.text += `\n\n${paragraph}`
  }
  return parts.map(({ title, text }) => {
    const shown = text.replace(/\]\((?:screenshots\/)?([\w-]+\.png)\)/g, (all, name) =>
      pictures[name] ? `](${pictures[name]})` : all,
    )
    const html = marked.parse(shown.replace(TITLE, ''), { async: false })
    return { title, html, words: `${title} ${text}`.replace(/[*_`#\[\]()]/g, '').toLowerCase() }
  })
}

/** Those parts that have every word of what is looked for, the ones named so first. */
export function found(sections: Section[], text: string): Section[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const named = (s: Section) => words.filter((w) => s.title.toLowerCase().includes(w)).length
  return sections
    .filter((s) => words.every((w) => s.words.includes(w)))
    .map((s, k) => ({ s, k }))
    .sort((a, b) => named(b.s) - named(a.s) || a.k - b.k)
    .map(({ s }) => s)
}
