// Shows a delivery in a browser through a general 3D library: its glTF camera over its undistorted plates. Prints how far its points are drawn from where they
// were tracked, for each frame of the job, and keeps a picture of the first one.
// node browser.mjs JOB.json PICTURE.png; the job: {"folder", "first", "fps", "frames": [{"frame", "plate", "points": [[track, u, v]...]}]}, px of the plate.
import { createServer } from 'node:http';
import { readFileSync, writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { spawn } from 'node:child_process';
import { tmpdir } from 'node:os';
import { dirname, extname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const job = JSON.parse(readFileSync(process.argv[2]));
const types = { '.html': 'text/html', '.js': 'text/javascript', '.png': 'image/png', '.json': 'application/json' };
const profile = mkdtempSync(join(tmpdir(), 'browser-'));
let browser;

function finish(code) {
  browser?.kill('SIGKILL');
  server.close();
  setTimeout(() => {
    rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
    process.exit(code);
  }, 200);
}

const server = createServer((request, response) => {
  const path = decodeURIComponent(new URL(request.url, 'http://x').pathname);
  if (request.method === 'POST') {
    const parts = [];
    request.on('data', (part) => parts.push(part));
    request.on('end', () => {
      response.end();
      const told = JSON.parse(Buffer.concat(parts));
      if (told.error) {
        console.error(told.error);
        return finish(1);
      }
      if (process.argv[3]) writeFileSync(process.argv[3], Buffer.from(told.picture.split(',')[1], 'base64'));
      console.log(JSON.stringify(told.frames));
      finish(0);
    });
    return;
  }
  try {
    const file = path === '/' ? join(here, 'page.html') : path === '/job' ? process.argv[2]
      : path.startsWith('/modules/') ? join(here, 'node_modules', path.slice(9)) : join(job.folder, path);
    response.setHeader('Content-Type', types[extname(file)] ?? 'application/octet-stream');
    response.end(readFileSync(file));
  } catch {
    response.statusCode = 404;
    response.end();
  }
});

server.listen(0, '127.0.0.1', () => {
  browser = spawn('chromium', ['--headless', '--no-sandbox', '--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--disable-dev-shm-usage', '--no-first-run',
    '--disable-background-networking', `--user-data-dir=${profile}`, `http://127.0.0.1:${server.address().port}/`], { stdio: 'ignore' });
  browser.on('error', (problem) => {
    console.error(`chromium does not start: ${problem.message}`);
    finish(1);
  });
});
setTimeout(() => {
  console.error('the page said nothing for a minute and a half');
  finish(1);
}, 90000);
