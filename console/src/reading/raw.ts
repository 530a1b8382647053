import type { Layout } from '../api/client'

/** A piece of raw text with what it is. */
export interface Piece {
  text: string
  kind: 'text' | 'delimiter' | 'quote' | 'end' | 'odd' | 'blank' | 'cut'
}

const oddNames: Record<string, string> = {
  '\u00A0': 'NBSP',
  '\u200B': 'ZWSP',
  '\uFEFF': 'BOM',
  '\u00AD': 'SHY',
  '\u2028': 'LSEP',
  '\u3000': 'IDSP',
}

/** What stands for a character that is not seen. */
function shown(c: string): string | undefined {
  if (c === '\t') return '⇥'
  const name = oddNames[c]
  if (name) return name
  const code = c.charCodeAt(0)
  return code < 32 || code === 127 ? `0x${code.toString(16).toUpperCase().padStart(2, '0')}` : undefined
}

/** Takes a row's text apart, so that its marks can be seen. */
export function pieces(raw: string, layout: Layout): Piece[] {
  const out: Piece[] = []
  const put = (text: string, kind: Piece['kind']): void => {
    const last = out[out.length - 1]
    if (last && last.kind === kind && kind !== 'delimiter' && kind !== 'end' && kind !== 'odd' && kind !== 'cut')
      last.text += text
    else out.push({ text, kind })
  }
  const delimiter = layout.form === 'delimited' && layout.fold === 0 ? layout.delimiter : ''
  const cuts = new Set(layout.form === 'fixed' ? layout.cuts : [])
  let column = 0
  for (let i = 0; i < raw.length; column++) {
    const c = raw[i]!
    if (cuts.has(column)) put('', 'cut')
    if (delimiter && raw.startsWith(delimiter, i)) {
      put(delimiter === '\t' ? '⇥' : delimiter === ' ' ? '␣' : (shown(delimiter) ?? delimiter), 'delimiter')
      i += delimiter.length
    } else if (raw.startsWith('\r\n', i)) {
      put('CRLF', 'end')
      i += 2
    } else if (c === '\n' || c === '\r') {
      put(c === '\n' ? 'LF' : 'CR', 'end')
      i++
    } else if (layout.quoteChar && c === layout.quoteChar) {
      put(c, 'quote')
      i++
    } else if (
      c === ' ' &&
      (i === 0 ||
        i + 1 === raw.length ||
        raw[i - 1] === ' ' ||
        raw[i + 1] === ' ' ||
        (delimiter && (raw.startsWith(delimiter, i + 1) || raw.endsWith(delimiter, i))))
    ) {
      put('·', 'blank') // one that the eye passes over
      i++
    } else {
      const name = shown(c)
      put(name ?? c, name ? 'odd' : 'text')
      i++
    }
  }
  return out
}
