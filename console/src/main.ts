import { mount } from 'svelte';
import '@fontsource-variable/inter';
import './app.css';
import App from './App.svelte';
import { theme } from './lib/state/theme.svelte';

theme.apply();
const target = document.getElementById('app');
if (target) mount(App, { target });
