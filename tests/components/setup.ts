import '../../src/app.css';
import { loadGrammar } from '$lib/core/formula/reading';
import { readBy } from '$lib/core/words/reader';

readBy(() => ({ locale: 'en-GB', zone: 'Europe/London', language: 'en' }));
await loadGrammar();
