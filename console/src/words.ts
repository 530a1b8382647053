/** What each violation code means, in a few words. */
export const codeWords: Record<string, string> = {
  'row.short': 'too few cells',
  'row.long': 'too many cells',
  'header.missing': 'column not delivered',
  'header.duplicate': 'header stands twice',
  'header.unknown': 'column without a target',
  'encoding.invalid': 'invalid bytes',
  'quote.open': 'quote never closed',
  'quote.stray': 'quote out of place',
  'quote.tail': 'text after the closing quote',
  'required.empty': 'value missing',
  'type.integer': 'not a whole number',
  'type.decimal': 'not a number',
  'type.double': 'not a number',
  'type.boolean': 'neither true nor false',
  'number.precision': 'too many digits before the point',
  'number.scale': 'too many digits after the point',
  'date.format': 'date in another format',
  'date.impossible': 'no such day or time',
  'date.ambiguous': 'date can be read in two ways',
  'time.format': 'time in another format',
  'text.long': 'text too long',
  'text.short': 'text too short',
  'range.low': 'below the minimum',
  'range.high': 'above the maximum',
  'text.format': 'not of the form demanded',
  'value.unknown': 'not an allowed value',
  'key.duplicate': 'key stands twice',
}

/** What an action does to the row, in words. */
export const actionWords: Record<string, string> = {
  reject: 'row rejected',
  blank: 'cell blanked',
  flag: 'flagged only',
  refuse: 'delivery refused',
}
