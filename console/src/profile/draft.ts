/**
 * Puts a rule into the text of a draft, at the column that comes under a header or at a position (from 1), if the
 * column has no such rule yet. Gives the text, and where in it the rule stands.
 */
export function withRule(text: string, header: string, position: number, rule: string): { text: string; mark: [number, number] } | undefined {
  const lines = text.split('\n')
  const starts = lines.flatMap((l, i) => (l.startsWith('  - name:') ? [i] : []))
  const property = rule.slice(0, rule.indexOf(':'))
  const quoted = JSON.stringify(header)
  for (const [n, from] of starts.entries()) {
    const end = starts[n + 1] ?? lines.findIndex((l, i) => i > from && !l.startsWith(' ') && !l.startsWith('#'))
    const to = end < 0 ? lines.length : end
    const block = lines.slice(from, to)
    const name = block[0]?.replace(/^ {2}- name: */, '').replace(/ *#.*$/, '')
    if (name !== header && name !== quoted && !block.some((l) => (l.trimStart().startsWith('titles:') && l.includes(quoted)) || l.trim() === `position: ${position}`)) continue
    let at = block.findIndex((l) => l.trimStart().startsWith(`${property}:`))
    if (at < 0) {
      at = Math.max(1, block.findIndex((l) => l.trimStart().startsWith('datatype:')) + 1)
      lines.splice(from + at, 0, `    ${rule}`)
    }
    const start = lines.slice(0, from + at).join('\n').length + 1
    return { text: lines.join('\n'), mark: [start, start + (lines[from + at]?.length ?? 0)] }
  }
  return undefined
}
