import { ref, watchEffect } from 'vue'

type Theme = 'light' | 'dark'

const system = window.matchMedia('(prefers-color-scheme: dark)')
const stored = (): Theme | null => {
  const theme = localStorage.getItem('sieb-theme')
  return theme === 'light' || theme === 'dark' ? theme : null
}

/** The theme in force: the one chosen by hand, else the system's. */
export const theme = ref<Theme>(stored() ?? (system.matches ? 'dark' : 'light'))

system.addEventListener('change', () => {
  if (!stored()) theme.value = system.matches ? 'dark' : 'light'
})

watchEffect(() => document.documentElement.classList.toggle('dark', theme.value === 'dark'))

export function turnTheme(): void {
  theme.value = theme.value === 'dark' ? 'light' : 'dark'
  localStorage.setItem('sieb-theme', theme.value)
}
