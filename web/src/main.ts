import '@fontsource/source-sans-3/latin-400.css'
import '@fontsource/source-sans-3/latin-600.css'
import '@fontsource/ibm-plex-mono/latin-400.css'
import '@fontsource/ibm-plex-mono/latin-600.css'
import 'vuetify/styles'
import './look.css'

import { createApp } from 'vue'

import App from './App.vue'
import { begin } from './begin'
import { router } from './router'
import { vuetify } from './theme'

createApp(App).use(router).use(vuetify).directive('begin', begin).mount('#app')
