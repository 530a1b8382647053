const numbers = new Intl.NumberFormat('en', { useGrouping: true })

/** A count with thin blanks, at which no line ends, between groups of three digits. */
export const count = (n: number): string => numbers.format(n).replaceAll(',', '\u202f')

/** A count with its noun: 1 row, 2 rows. */
export const counted = (n: number, one: string, many: string): string => `${count(n)} ${n === 1 ? one : many}`

/** Bytes in decimal units. */
export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`
  let n = bytes
  for (const unit of ['kB', 'MB', 'GB', 'TB', 'PB']) {
    n /= 1000
    if (n < 999.5) return `${n.toPrecision(3)} ${unit}`
  }
  return `${n.toPrecision(3)} EB`
}

/** A part of a whole in percent; a part that is not nothing never shows as 0 %, nor one that is not all as 100 %. */
export function share(part: number, whole: number): string {
  if (whole === 0 || part === 0) return '0 %'
  if (part === whole) return '100 %'
  const percent = (100 * part) / whole
  if (percent < 0.1) return '< 0.1 %'
  if (part < whole && percent > 99.9) return '> 99.9 %'
  return `${percent.toFixed(percent < 10 || percent > 99 ? 1 : 0)} %`
}

const times = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

export const time = (iso: string): string => times.format(new Date(iso))

/** A cell's text with what cannot be seen made visible. */
export function visible(text: string): string {
  const core = text
    .replace(/\r\n|\n/g, '⏎')
    .replace(/\r/g, '␍')
    .replace(/\t/g, '⇥')
  return core.replace(/^ +| +$/g, (blanks) => '·'.repeat(blanks.length))
}

const marks: Record<string, string> = {
  ',': 'comma',
  ';': 'semicolon',
  '\t': 'tab',
  '|': 'bar',
  ' ': 'blank',
  '': 'one column',
}

export const delimiterName = (mark: string): string => marks[mark] ?? mark
