import { troubles } from './state';
import type { System } from './server';

/** The page of the simulators: what each was asked lately, and switches for how it misbehaves. */
export function pageOf(systems: ReadonlyMap<string, System>): string {
  const parts = [...systems].map(([name, { state }]) => {
    const { trouble, slow, share } = state.switches;
    const options = troubles
      .map((one) => `<option${one === trouble ? ' selected' : ''}>${one}</option>`)
      .join('');
    const rows = state.served
      .slice(0, 12)
      .map(
        ({ at, method, path, status }) =>
          `<tr><td>${at.slice(11, 19)}</td><td>${method}</td><td>${escaped(path)}</td><td>${status || 'none'}</td></tr>`,
      )
      .join('');
    return `<section><h2>${escaped(state.title)}</h2>
<form method="post" action="/"><input type="hidden" name="system" value="${name}">
<label>Trouble <select name="trouble">${options}</select></label>
<label>in <input name="share" type="number" min="0" max="100" value="${share}"> of a hundred answers</label>
<label>slow by <input name="slow" type="number" min="0" max="60000" step="100" value="${slow}"> ms</label>
<button>Set</button></form>
<p>${state.written.size} writes taken.</p>
<table><tr><th>At</th><th>Method</th><th>Address</th><th>Status</th></tr>${rows}</table></section>`;
  });
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Simulators</title>
<style>body{font:14px/1.5 sans-serif;max-width:860px;margin:24px auto;color:#1f2633;background:#faf7f1}
form{display:flex;gap:12px;flex-wrap:wrap;align-items:center}input[type=number]{width:76px}
table{width:100%;border-collapse:collapse;background:#fff}td,th{border-bottom:1px solid #e3dccf;padding:4px 8px;text-align:left}</style>
<h1>Simulators</h1><p>Stand-ins for outside systems. They keep nothing when they stop.</p>${parts.join('')}</html>`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
}
