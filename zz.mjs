import { chromium } from 'playwright-core';
const [,, file, out, h]=process.argv;
const b=await chromium.launch({executablePath:'/usr/bin/chromium',args:['--no-sandbox','--disable-gpu']});
const p=await b.newPage({viewport:{width:1280,height:Number(h??800)}}); await p.goto('file://'+file); await p.screenshot({path:out,fullPage:h==='full'}); await b.close();
