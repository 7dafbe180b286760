// Opens pages in Chromium as a person would, and looks whether they work.   node pages.mjs MODULES PAGE DIFFERING [PAGE DIFFERING ...]
import { createRequire } from 'node:module';
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { pathToFileURL } from 'node:url';

const [modules, ...rest] = process.argv.slice(2);
const need = createRequire(path.join(path.resolve(modules), 'package.json'));
const puppeteer = need('puppeteer-core');
const axe = readFileSync(need.resolve('axe-core/axe.min.js'), 'utf8');
let failed = 0, checks = 0;

function check(good, what) {
    checks++;
    if (good) return;
    failed++;
    console.log(`pages: ${what}`);
}

const visible = page => page.$$eval('tr[data-g]', rows => rows.filter(r => r.offsetParent !== null)
    .map(r => ({ id: r.dataset.i, group: r.dataset.g, kind: r.className, text: r.textContent.toLowerCase() })));
const ids = rows => new Set(rows.map(r => r.id));

async function fill(page, search, kind, group) {
    await page.$eval('#q', e => { e.value = ''; });
    await page.type('#q', search + ' ');
    await page.select('#what', kind);
    await page.select('#group', group);
    return visible(page);
}

async function works(page, file, differing) {
    const all = await visible(page), groups = [...new Set(all.map(r => r.group))];
    const told = () => page.$eval('#found', e => e.textContent);
    check(ids(all).size > 0 && (await told()).startsWith(`${ids(all).size} of ${ids(all).size} `), `${file}: not all rows at first`);
    check(ids(all.filter(r => r.kind.split(' ').includes('d'))).size === differing, `${file}: ${differing} rows should differ`);
    for (const word of ['torque', 'limit', 'ramp up', 'no such thing', '180.0 %']) {
        const rows = await fill(page, word, '', '');
        const want = ids(all.filter(r => word.split(' ').every(w => r.text.includes(w))));
        check(ids(rows).size === want.size && [...ids(rows)].every(i => want.has(i)), `${file}: the search for "${word}"`);
        check((await told()).startsWith(`${want.size} of `), `${file}: what is said of "${word}"`);
    }
    for (const kind of await page.$$eval('#what option', list => list.map(o => o.value)))
        for (const group of ['', groups[0], groups.at(-1)]) {
            const rows = await fill(page, '', kind, group);
            const want = all.filter(r => (!kind || r.kind.split(' ').includes(kind)) && (!group || r.group === group));
            check(rows.length === want.length, `${file}: the filter "${kind}" in "${group}"`);
        }
    await fill(page, '', '', '');
    check((await visible(page)).length === all.length, `${file}: all rows again`);
}

// Whoever has no mouse gets everywhere: the skip link first, then what can be changed.
async function keyboard(page, file) {
    const seen = [];
    await page.evaluate(() => document.activeElement.blur());
    for (let i = 0; i < 12; i++) {
        await page.keyboard.press('Tab');
        seen.push(await page.evaluate(() => document.activeElement.id || document.activeElement.className));
    }
    check(seen[0] === 'skip', `${file}: the skip link isn't first`);
    for (const id of ['q', 'what', 'group', 'wide'])
        check(seen.includes(id), `${file}: no way to "${id}" by keyboard`);
}

async function accessible(page, file) {
    for (const scheme of ['light', 'dark']) {
        await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: scheme }]);
        await page.evaluate(axe);
        const { violations } = await page.evaluate(() => globalThis.axe.run(document));
        for (const v of violations)
            check(false, `${file}, ${scheme}: ${v.impact}: ${v.help}: ${v.nodes[0].html.slice(0, 120)}`);
        check(true);
    }
    await page.emulateMediaFeatures([]);
}

async function printed(page, file) {
    const pdf = file + '.pdf';
    const rows = (await visible(page)).length;
    await page.pdf({ path: pdf, preferCSSPageSize: true, printBackground: true });
    const pages = +/Pages:\s+(\d+)/.exec(execFileSync('pdfinfo', [pdf], { encoding: 'utf8' }))[1];
    check(/Page size:.*A4/.test(execFileSync('pdfinfo', [pdf], { encoding: 'utf8' })), `${file}: not A4`);
    check(pages >= 1 && pages <= 2 + rows / 12, `${file}: ${rows} rows on ${pages} pages`);
    for (let n = 1; n <= pages; n++) {
        const text = execFileSync('pdftotext', ['-f', n, '-l', n, '-layout', pdf, '-'], { encoding: 'utf8' });
        const last = n === pages; // may hold what isn't a table
        check(last || /Parameter/.test(text), `${file}: page ${n} has no heading of its table`);
        check(text.trim().split('\n').length > (last ? 0 : 12), `${file}: page ${n} is nearly empty`);
        check(!/Search/.test(text), `${file}: the search is printed`);
    }
}

const browser = await puppeteer.launch({ executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu'] });
try {
    for (let i = 0; i + 1 < rest.length; i += 2) {
        const file = rest[i], url = pathToFileURL(path.resolve(file)).href;
        const page = await browser.newPage();
        await page.setViewport({ width: 1280, height: 800 });
        page.on('request', r => check(r.url() === url, `${file}: asks for ${r.url()}`));
        page.on('pageerror', e => check(false, `${file}: ${e.message}`));
        page.on('dialog', d => { check(false, `${file}: a dialog opens`); d.dismiss(); });
        await page.goto(url);
        check(!(await page.evaluate(() => globalThis.broken)), `${file}: a text of the set was run`);
        check(await page.$$eval('main img, main script, main iframe', l => l.length) === 0, `${file}: a text became an element`);
        await works(page, file, +rest[i + 1]);
        await page.goto(url); // the focus is where a newcomer has it
        await keyboard(page, file);
        await accessible(page, file);
        await printed(page, file);
        await page.setJavaScriptEnabled(false);
        await page.goto(url);
        check(await page.$eval('#look', f => f.hidden), `${file}: a search that can't work is shown`);
        await page.close();
    }
} finally {
    await browser.close();
}
console.log(`pages: ${checks} checks, ${failed} failed`);
process.exit(failed ? 1 : 0);
