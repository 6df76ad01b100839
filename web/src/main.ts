import '@fontsource-variable/alegreya/index.css'
import '@fontsource-variable/alegreya/wght-italic.css'
import '@fontsource-variable/source-sans-3/index.css'
import 'vuetify/styles/layers'
import 'vuetify/styles/core'
import './styles/base.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'
import App from './App.vue'
import { router } from './router'

const cspNonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content

/** Labels and hints are to be read as well as what they stand beside. */
const LEGIBLE = { 'medium-emphasis-opacity': 0.82, 'disabled-opacity': 0.62 }

const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    cspNonce,
    defaultTheme: localStorage.getItem('kt-theme') ?? 'paper',
    themes: {
      paper: {
        dark: false,
        variables: LEGIBLE,
        colors: {
          background: '#f4eee0',
          surface: '#faf6ec',
          primary: '#4a6034',
          secondary: '#52627a',
          error: '#7b2d26',
          warning: '#a8751f',
        },
      },
      dusk: {
        dark: true,
        variables: LEGIBLE,
        colors: {
          background: '#20272d',
          surface: '#273037',
          primary: '#9cb474',
          secondary: '#9bb0c8',
          error: '#d88a7a',
          warning: '#d6aa5c',
        },
      },
    },
  },
  defaults: {
    VSnackbar: { location: 'top' },
    VTooltip: { openDelay: 400, eager: false },
    VBtn: { variant: 'outlined', rounded: 0, ripple: false, size: 'small' },
    VBtnToggle: { rounded: 0, density: 'compact', VBtn: { size: 'small' } },
    VCard: { rounded: 0, elevation: 0, border: true },
    VList: { density: 'compact', rounded: 0, border: true, elevation: 0 },
    VSheet: { rounded: 0, border: true },
    VSlider: { color: 'primary', thumbSize: 14, trackSize: 2, density: 'compact', hideDetails: true },
    VCheckbox: { density: 'compact', color: 'primary', hideDetails: true },
    VSwitch: { density: 'compact', color: 'primary', hideDetails: true },
    VTabs: { density: 'compact', color: 'primary' },
    VExpansionPanels: {
      multiple: true,
      variant: 'accordion',
      elevation: 0,
      static: true,
      VExpansionPanel: { elevation: 0, rounded: 0 },
    },
    ...Object.fromEntries(
      ['VTextField', 'VSelect', 'VFileInput', 'VCombobox'].map((name) => [
        name,
        { variant: 'outlined', density: 'compact', rounded: 0, color: 'primary' },
      ]),
    ),
  },
})

createApp(App).use(createPinia()).use(router).use(vuetify).mount('#app')
