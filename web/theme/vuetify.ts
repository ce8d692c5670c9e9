import {
  mdiAlertCircleOutline,
  mdiCheckboxBlankOutline,
  mdiCheckboxMarked,
  mdiClose,
  mdiInformationOutline,
  mdiMinusBox,
  mdiRadioboxBlank,
  mdiRadioboxMarked,
} from '@mdi/js'
import { createVuetify, type ThemeDefinition } from 'vuetify'
import { mdi } from 'vuetify/iconsets/mdi-svg'
// Without the utility classes, which nothing here uses.
import 'vuetify/styles/core'

/**
 * Identity colours, not judgement colours: origin is stone grey, live deep teal, trial rind yellow. Red is for errors only. Text on
 * each background has a contrast of at least 4.5 : 1 (WCAG 2.2, 1.4.3).
 */
const light: ThemeDefinition = {
  dark: false,
  colors: {
    background: '#f4f2ec',
    surface: '#fffefa',
    'surface-bright': '#fffefa',
    'surface-light': '#e6e2d6',
    'surface-variant': '#e6e2d6',
    'on-surface-variant': '#3a3f3d',
    primary: '#0c5257',
    'on-primary': '#ffffff',
    secondary: '#5d5a52',
    error: '#a3261d',
    info: '#0c5257',
    warning: '#6b5100',
    success: '#0c5257',
    origin: '#77736a',
    live: '#0c6a70',
    trial: '#d9a400',
    'trial-ink': '#6b5100',
    line: '#d4cfc1',
  },
}

const dark: ThemeDefinition = {
  dark: true,
  colors: {
    background: '#101716',
    surface: '#182120',
    'surface-bright': '#cfd6d2',
    'surface-light': '#2a3533',
    'surface-variant': '#2a3533',
    'on-surface-variant': '#cfd6d2',
    primary: '#7fd0d0',
    'on-primary': '#06282a',
    secondary: '#b5b1a6',
    error: '#ff9a8f',
    info: '#7fd0d0',
    warning: '#ecc94b',
    success: '#7fd0d0',
    origin: '#a29e93',
    live: '#4fb5b7',
    trial: '#ecc02f',
    'trial-ink': '#ecc94b',
    line: '#35413f',
  },
}

const flat = { elevation: 0, rounded: 'sm' }

/** The icons of the components that are used; the whole set would be as large as a view. */
const aliases = {
  checkboxOn: mdiCheckboxMarked,
  checkboxOff: mdiCheckboxBlankOutline,
  checkboxIndeterminate: mdiMinusBox,
  radioOn: mdiRadioboxMarked,
  radioOff: mdiRadioboxBlank,
  clear: mdiClose,
  close: mdiClose,
  success: mdiInformationOutline,
  info: mdiInformationOutline,
  warning: mdiAlertCircleOutline,
  error: mdiAlertCircleOutline,
}

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: { defaultTheme: 'system', themes: { light, dark } },
  defaults: {
    // A button that leads elsewhere is not where one is.
    VBtn: { ...flat, variant: 'outlined', class: 'zest-button', active: false },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VTextarea: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VCheckbox: { density: 'compact', hideDetails: true, color: 'primary' },
    VSwitch: { density: 'compact', hideDetails: true, color: 'primary', inset: true },
    VAlert: { variant: 'tonal', density: 'compact', rounded: 'sm' },
  },
})
