import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

// Water and silt: slate blue, river green, sand, and one signal colour for trouble.
const light = {
  dark: false,
  colors: {
    background: '#f4f1ea',
    surface: '#fdfcf9',
    'surface-variant': '#e6e0d3',
    'on-surface-variant': '#3c4a52',
    primary: '#21506b',
    secondary: '#2f7f70',
    error: '#b3391f',
    warning: '#8a5a00',
    info: '#3d6785',
    success: '#2a6f5f',
    keep: '#2a6f5f',
    reset: '#8a5a00',
    rewind: '#2c5f93',
    set: '#7a3f78',
    quiet: '#545f67',
  },
}

const dark = {
  dark: true,
  colors: {
    background: '#12202a',
    surface: '#182a36',
    'surface-variant': '#24394a',
    'on-surface-variant': '#c8d3d8',
    primary: '#8fc1dc',
    secondary: '#71c2ae',
    error: '#ff9377',
    warning: '#e3b562',
    info: '#9cc3e0',
    success: '#7fcab6',
    keep: '#7fcab6',
    reset: '#e3b562',
    rewind: '#94c0f0',
    set: '#d9a6d6',
    quiet: '#a3b2ba',
  },
}

const kept = localStorage.getItem('alluvion-theme')
const preferred = window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: { defaultTheme: kept === 'dark' || kept === 'light' ? kept : preferred, themes: { light, dark } },
  defaults: {
    VBtn: { variant: 'flat', density: 'comfortable', rounded: 'sm' },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VAutocomplete: { variant: 'outlined', density: 'compact', hideDetails: 'auto', bgColor: 'surface' },
    VCombobox: { variant: 'outlined', density: 'compact', hideDetails: 'auto', bgColor: 'surface' },
    VAlert: { variant: 'tonal', density: 'compact', rounded: 'sm' },
  },
})
