import type { Evidence, Given, Layout, Sheet } from '../api/client'

/** How a setting is made by hand. */
export type Control =
  | { kind: 'choice'; options: { value: string; label: string }[]; free?: boolean }
  | { kind: 'number'; most: number }
  | { kind: 'switch' }
  | { kind: 'text' }
  | { kind: 'cuts' }

export type SettingName = Exclude<keyof Given, undefined>

export interface Setting {
  name: SettingName
  label: string
  control: Control
}

const encodings = [
  'utf-8',
  'windows-1252',
  'windows-1250',
  'windows-1251',
  'windows-1253',
  'windows-1254',
  'windows-1257',
  'utf-16le',
  'utf-16be',
  'utf-32le',
  'utf-32be',
  'iso-8859-1',
  'iso-8859-2',
  'iso-8859-5',
  'iso-8859-7',
  'iso-8859-9',
  'iso-8859-13',
  'iso-8859-15',
  'koi8-r',
  'ibm437',
  'ibm850',
  'ibm852',
  'macintosh',
  'shift_jis',
  'euc-jp',
  'gb18030',
  'big5',
  'euc-kr',
]

const markNames: Record<string, string> = {
  ',': 'comma ,',
  ';': 'semicolon ;',
  '\t': 'tab',
  '|': 'bar |',
  ' ': 'blank',
  ':': 'colon :',
  '^': 'caret ^',
  '~': 'tilde ~',
  '"': 'double quote "',
  "'": "single quote '",
  '': 'none',
}

/** A mark in words; what is not seen, by its number. */
export function markName(mark: string): string {
  const name = markNames[mark]
  if (name !== undefined) return name
  return [...mark]
    .map((c) => (c < ' ' ? `0x${c.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}` : c))
    .join('')
}

const plain = (...values: string[]): { value: string; label: string }[] =>
  values.map((value) => ({ value, label: value }))
const marked = (...values: string[]): { value: string; label: string }[] =>
  values.map((value) => ({ value, label: markName(value) }))

/** The settings of a layout, in the order in which they act. */
export function settingsOf(layout: Layout, sheets: Sheet[]): Setting[] {
  const lines = (name: SettingName, label: string): Setting => ({
    name,
    label,
    control: { kind: 'number', most: 10000 },
  })
  const names: Setting = {
    name: 'headerNames',
    label: 'Names from',
    control: {
      kind: 'choice',
      options: [
        { value: 'joined', label: 'all header rows, joined' },
        { value: 'first', label: 'the first header row' },
        { value: 'last', label: 'the last header row' },
      ],
    },
  }
  const around = [
    lines('skipRows', 'Lines above the table'),
    lines('headerRows', 'Header rows'),
    ...(layout.headerRows > 1 ? [names] : []),
    lines('footerRows', 'Lines below the table'),
  ]
  if (layout.form === 'workbook') {
    around[0]!.label = 'Rows above the table'
    around[around.length - 1]!.label = 'Rows below the table'
    return [
      {
        name: 'sheet',
        label: 'Sheet',
        control: { kind: 'choice', options: sheets.map((s) => ({ value: s.name, label: sheetLabel(s) })) },
      },
      ...around,
      lines('skipColumns', 'Columns left of the table'),
      {
        name: 'merged',
        label: 'Merged cells',
        control: {
          kind: 'choice',
          options: [
            { value: 'first', label: 'value in the first' },
            { value: 'carried', label: 'value in all of them' },
          ],
        },
      },
      {
        name: 'hidden',
        label: 'Hidden rows and columns',
        control: {
          kind: 'choice',
          options: [
            { value: 'read', label: 'read' },
            { value: 'skip', label: 'left out' },
          ],
        },
      },
    ]
  }
  const first: Setting[] = [
    {
      name: 'form',
      label: 'Form',
      control: {
        kind: 'choice',
        options: [
          { value: 'delimited', label: 'delimited' },
          { value: 'fixed', label: 'fixed width' },
        ],
      },
    },
    { name: 'encoding', label: 'Encoding', control: { kind: 'choice', options: plain(...encodings) } },
  ]
  const comment: Setting = { name: 'commentPrefix', label: 'Comment lines begin with', control: { kind: 'text' } }
  if (layout.form === 'fixed')
    return [...first, { name: 'cuts', label: 'Cuts', control: { kind: 'cuts' } }, ...around, comment]
  return [
    ...first,
    {
      name: 'delimiter',
      label: 'Delimiter',
      control: { kind: 'choice', options: marked(',', ';', '\t', '|', ' ', ':', '^', '~', ''), free: true },
    },
    { name: 'quoteChar', label: 'Quote', control: { kind: 'choice', options: marked('"', "'", '') } },
    ...around,
    { name: 'doubleQuote', label: 'Quotes inside are doubled', control: { kind: 'switch' } },
    { name: 'trim', label: 'Leave out blanks around cells', control: { kind: 'switch' } },
    { name: 'closingDelimiter', label: 'A delimiter closes each row', control: { kind: 'switch' } },
    {
      name: 'nameless',
      label: 'Column without a name',
      control: {
        kind: 'choice',
        options: [
          { value: '', label: 'none' },
          { value: 'first', label: 'the first' },
          { value: 'last', label: 'the last' },
        ],
      },
    },
    { name: 'skipBlankRows', label: 'Blank lines are no rows', control: { kind: 'switch' } },
    { name: 'fold', label: 'Lines that make a row', control: { kind: 'number', most: 10000 } },
    comment,
  ]
}

export const sheetLabel = (s: Sheet): string =>
  [s.name, s.rows > 0 ? `${s.rows} × ${s.columns}` : '', s.hidden ? 'hidden' : ''].filter(Boolean).join(', ')

/** A value of a setting as the service writes it, as the setting holds it. */
export function parsed(setting: Setting, text: string): Given[SettingName] {
  switch (setting.control.kind) {
    case 'number':
      return Number(text)
    case 'switch':
      return text === 'true'
    default:
      return text
  }
}

/** A value of a setting in words. */
export function worded(setting: Setting, text: string): string {
  if (setting.control.kind === 'switch') return text === 'true' ? 'yes' : 'no'
  if (setting.control.kind === 'choice')
    return setting.control.options.find((o) => o.value === text)?.label ?? markName(text)
  return text === '' ? 'none' : text
}

/** The evidence of a setting, where there is any. */
export const evidenceOf = (evidence: Evidence[], name: string): Evidence | undefined =>
  evidence.find((e) => e.setting === name)
