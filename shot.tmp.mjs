// usage: node shot.tmp.mjs name url [js with page]
import { chromium } from '@playwright/test';
const base='http://127.0.0.1:4310';
const b=await chromium.launch({executablePath:'/usr/bin/chromium',args:['--headless','--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync']});
const p=await b.newPage({viewport:{width:Number(process.env.W??1280),height:Number(process.env.H??800)}});
p.on('pageerror',e=>console.log('pageerror',e.message));
await p.goto(base+'/sign-in');
await p.getByRole('button',{name:'Sign in'}).click();
await p.waitForURL(base+'/');
for(let i=2;i<process.argv.length;i+=3){
  const [name,url,js]=process.argv.slice(i,i+3);
  await p.goto(base+url); await p.getByTestId('clock').waitFor();
  if(js) await (new Function('page','return (async()=>{'+js+'})()'))(p).catch(e=>console.log(name,e.message));
  await p.waitForTimeout(700);
  await p.screenshot({path:`/tmp/shots/${name}.png`});
}
await b.close();
