import { power } from './fields';
import { Evaluator } from '@hindglance/core/graph/evaluator';
import { buildChange } from '@hindglance/core/change/setup';
import { emptySetup } from '@hindglance/core/change/defaults';
import { memorySources } from '@hindglance/core/testing/support';
import { northUp } from '@hindglance/core/grid/grid';
import { utm } from '@hindglance/core/geodesy/crs';
const S=2048, grid=northUp(utm(27,true),600000,5180000,2,2,S,S);
const info={grid,type:'float32' as const,bands:[{name:'VV',unit:'',role:'power' as const,polarisation:'VV'}]};
const sources=memorySources({b:{info,bands:[power(S,1)]},a:{info,bands:[power(S,2)]}} as any);
const setup={...emptySetup({looks:4.4,hasStudyArea:false,hasElevation:false})};
const n=buildChange({before:{id:'b',info},after:{id:'a',info},elevation:null,studyArea:null},setup);
for (const [name,node] of Object.entries({source:n.before.inputs[0]!.inputs[0]!, power:n.before.inputs[0]!,before:n.before,measure:n.measure,stack:n.stack,seen:n.seen,gated:n.gated,raw:n.raw})) { const e=new Evaluator({sources}); let t=performance.now(); for(let r=0;r<S;r+=512)for(let c=0;c<S;c+=512) await e.read(node!,0,{col:c,row:r,width:512,height:512}); t=performance.now()-t; console.log(name,(t/(S*S)*1e6).toFixed(1),'ns/cell'); }
