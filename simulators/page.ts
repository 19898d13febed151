import type { System } from './system';

/** The page of the simulators: how each stands, what it was asked lately, and switches for how it misbehaves. */
export async function pageOf(systems: ReadonlyMap<string, System>): Promise<string> {
  const parts = await Promise.all([...systems.values()].map(partOf));
  return page(
    'Simulators',
    `<p>Stand-ins for outside systems. What they are told lasts until they stop.</p>${parts.join('')}`,
  );
}

/** A page of the simulators; `body` is HTML. */
export function page(title: string, body: string): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escaped(title)}</title>
<style>body{font:14px/1.5 sans-serif;max-width:880px;margin:24px auto;padding:0 20px;color:#1f2633;background:#faf7f1}
form{display:flex;gap:12px;flex-wrap:wrap;align-items:center;margin:8px 0}input[type=number]{width:76px}h2{margin:28px 0 4px}
table{width:100%;border-collapse:collapse;background:#fff}td,th{border-bottom:1px solid #e3dccf;padding:4px 8px;text-align:left}
p{margin:4px 0}ul{margin:4px 0;padding-left:18px}.bad{color:#b3261e}</style>
<h1>${escaped(title)}</h1>${body}</html>`;
}

async function partOf({ name, state, answer, alters, shows }: System): Promise<string> {
  const { trouble, slow, share } = state.switches;
  const options = state.troubles
    .map((one) => `<option${one === trouble ? ' selected' : ''}>${one}</option>`)
    .join('');
  const hidden = `<input type="hidden" name="system" value="${name}">`;
  const timing = answer
    ? `<label>in <input name="share" type="number" min="0" max="100" value="${share}"> of a hundred answers</label>
<label>slow by <input name="slow" type="number" min="0" max="60000" step="100" value="${slow}"> ms</label>`
    : '';
  const altering = alters
    ? `<form method="post" action="/">${hidden}<label>${escaped(alters.label)} <input name="alter" value="${escaped(alters.example)}"></label><button>Change it</button></form>`
    : '';
  return `<section><h2>${escaped(state.title)}</h2>
<form method="post" action="/">${hidden}<label>Trouble <select name="trouble">${options}</select></label>
${timing}<button>Set</button></form>${altering}
${listed('Changed lately', await linesOf(shows))}${answer ? served(state) : ''}</section>`;
}

/** What a system shows of its records; why not, where it cannot be reached. */
async function linesOf(shows: System['shows']): Promise<string[]> {
  try {
    return (await shows?.()) ?? [];
  } catch (error) {
    return [`It cannot be looked into: ${String((error as Error).message)}`];
  }
}

function served({ served: last, written }: System['state']): string {
  const rows = last
    .slice(0, 12)
    .map(
      ({ at, method, path, status }) =>
        `<tr${status >= 400 || status === 0 ? ' class="bad"' : ''}><td>${at.slice(11, 19)}</td><td>${method}</td><td>${escaped(path)}</td><td>${status || 'none'}</td></tr>`,
    )
    .join('');
  return `<p>${written.size} writes taken under a key of their own.</p>
<table><tr><th>At</th><th>Method</th><th>Address</th><th>Status</th></tr>${rows}</table>`;
}

function listed(title: string, lines: readonly string[]): string {
  if (lines.length === 0) return '';
  return `<p>${title}:</p><ul>${lines.map((line) => `<li>${escaped(line)}</li>`).join('')}</ul>`;
}

/** Text as it stands in HTML. */
export function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
}
