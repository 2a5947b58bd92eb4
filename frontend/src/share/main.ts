import '@fontsource/atkinson-hyperlegible-next/400.css'
import '@fontsource/atkinson-hyperlegible-next/600.css'
import '../styles/base.css'
import { createApp } from 'vue'
import SharePage from './SharePage.vue'

createApp(SharePage).mount('#app')
