import fc from 'fast-check';
import assert from 'node:assert';
import { play, someRecord, somePlan, someSteps } from './support/histories';
const runs = Number(process.argv[2] ?? 500);
for (const start of ['new', 'opened'] as const) {
  let n=0;
  const r = await fc.check(fc.asyncProperty(somePlan, someRecord, someSteps, async (plan, record, steps) => {
    const t=setTimeout(()=>{},0); clearTimeout(t);
    (globalThis as any).last=[plan,record,steps];
    n++;
    const end = await play(plan, start, record, steps);
    if (!end) return;
    assert.deepStrictEqual(end.draft, end.screen, 'draft');
    assert.deepStrictEqual(end.server, end.screen, 'server');
    assert.deepStrictEqual(end.refused, []);
  }), { numRuns: runs, interruptAfterTimeLimit: 60000, ...(process.argv[3] ? {seed: Number(process.argv[3])} : {}) });
  console.log(start, r.failed ? 'FAILED '+r.numRuns+' '+r.seed : 'ok', n);
  if (r.failed && r.counterexample) { const [p, rec, steps] = r.counterexample; console.log(fc.stringify(p)); console.log(JSON.stringify(rec)); console.log(JSON.stringify(steps));
   const e: any = r.errorInstance; 
   if (e?.actual) { const diff=(a:any,b:any,path='')=>{ if (JSON.stringify(a)===JSON.stringify(b)) return; if (typeof a!=='object'||typeof b!=='object'||!a||!b) return console.log(path, 'got', JSON.stringify(a),'screen', JSON.stringify(b)); for (const k of new Set([...Object.keys(a),...Object.keys(b)])) diff(a[k],b[k],path+'/'+k)}; console.log(e.message.split('\n')[0]); diff(e.actual,e.expected); } else console.log(e?.stack); }
}
