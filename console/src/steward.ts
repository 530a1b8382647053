/** Who saves versions, as the browser remembers it. */
export const steward = {
  get: (): string => localStorage.getItem('sieb.steward') ?? '',
  set: (name: string): void => localStorage.setItem('sieb.steward', name),
}
