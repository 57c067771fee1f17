// The quay board: a program as testers have them. It asks three services, shows
// what they answer, and takes trouble in its own way: it waits where it is told
// to, asks three times, and says what went wrong.

const tries = 3;
const slowAfter = 1_500; // milliseconds until it says that a service is slow
const noLongerThan = 8_000; // milliseconds until it gives up on an answer
const longestWait = 15_000; // milliseconds that it waits when it is told to

const given = new URLSearchParams(location.search).get('services');
const services = given ?? (await (await fetch('services.json')).json()).services;
const at = (service, path) => services.replace('{service}', service) + path;
const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const seconds = (ms) => `${Math.round(ms / 100) / 10} s`;

/** What went wrong, in words; again says whether asking once more may help. */
class Trouble extends Error {
  constructor(text, { again = true, after } = {}) {
    super(text);
    this.again = again;
    this.after = after;
  }
}

/** Asks once. The answer is read to its end, as text. */
async function askOnce(service, path, options) {
  let answer;
  try {
    answer = await fetch(at(service, path), { ...options, signal: AbortSignal.timeout(noLongerThan) });
  } catch (error) {
    if (error.name === 'TimeoutError') throw new Trouble(`${service} did not answer within ${seconds(noLongerThan)}`);
    throw new Trouble(`${service} cannot be reached: the connection failed before an answer`);
  }
  let text;
  try {
    text = await answer.text();
  } catch (error) {
    if (error.name === 'TimeoutError') throw new Trouble(`${service} began an answer and did not end it within ${seconds(noLongerThan)}`);
    throw new Trouble(`${service} was cut off in the middle of its answer`);
  }
  if (answer.ok) return text;
  const wait = Number(answer.headers.get('Retry-After'));
  const after = wait > 0 ? Math.min(wait * 1000, longestWait) : undefined;
  if (answer.status === 429) throw new Trouble(`${service} asks us to call less often (429)`, { after });
  throw new Trouble(`${service} answered ${answer.status}`, { again: answer.status >= 500, after });
}

/** One part of the board: what it asks, and how it shows the answer. */
class Part {
  constructor(id, service, path, read, options) {
    Object.assign(this, { service, path, read, options });
    this.section = document.getElementById(id);
  }

  tell(state, text) {
    this.section.dataset.state = state;
    this.section.querySelector('.told').textContent = text;
  }

  async ask() {
    if (this.busy) return;
    this.busy = true;
    try {
      await this.askUntilItAnswers();
    } finally {
      this.busy = false;
    }
  }

  async askUntilItAnswers() {
    for (let turn = 1; ; turn++) {
      const begun = performance.now();
      this.tell('asking', `Asking ${this.service} …`);
      const slow = setInterval(() => {
        const waited = performance.now() - begun;
        if (waited > slowAfter) this.tell('waiting', `${this.service} takes its time: ${seconds(waited)} so far`);
      }, 250);
      try {
        const text = await askOnce(this.service, this.path, this.options);
        clearInterval(slow);
        this.show(text);
        this.tell('good', `As of ${new Date().toLocaleTimeString('en-GB')}, in ${Math.round(performance.now() - begun)} ms`);
        return;
      } catch (error) {
        clearInterval(slow);
        if (!(error instanceof Trouble)) throw error;
        if (!error.again || turn === tries) {
          this.section.querySelector('.shown').replaceChildren();
          this.tell('failed', turn === 1 ? `${error.message}.` : `${error.message}. Gave up after ${turn} tries.`);
          return;
        }
        const wait = error.after ?? 500 * turn;
        this.tell('waiting', `${error.message}; asking again in ${seconds(wait)} (try ${turn + 1} of ${tries})`);
        await pause(wait);
      }
    }
  }

  show(text) {
    let shown;
    try {
      shown = this.read(text);
    } catch {
      throw new Trouble(`${this.service} answered something that cannot be read`, { again: false });
    }
    this.section.querySelector('.shown').replaceChildren(shown);
  }
}

function table(rows, none) {
  if (rows.length === 0) return words('p', none);
  const out = document.createElement('table');
  for (const row of rows) {
    const line = out.insertRow();
    for (const cell of row) line.insertCell().textContent = cell;
  }
  return out;
}

function words(tag, text, look = '') {
  const out = document.createElement(tag);
  out.className = look;
  out.textContent = text;
  return out;
}

const envelope =
  '<soap:Envelope xmlns:soap="http://www.w3.org/2003/05/soap-envelope"><soap:Body><listHolds xmlns="https://customs.skerry-sound.example/cargo"/></soap:Body></soap:Envelope>';

function holds(text) {
  const message = new DOMParser().parseFromString(text, 'application/xml');
  if (!message.querySelector('listHoldsResponse')) throw new Error('no holds in it');
  const of = (hold, name) => hold.querySelector(name)?.textContent ?? '';
  return table(
    [...message.querySelectorAll('hold')].map((hold) => [of(hold, 'manifest'), of(hold, 'reason'), of(hold, 'since')]),
    'Nothing is held.',
  );
}

const parts = [
  new Part('berths', 'moorings', '/berths', (text) =>
    table(
      JSON.parse(text).berths.map((b) => [b.number, `${b.pier} pier, ${b.lengthMetres} m`, b.state]),
      'No berth is free.',
    ),
  ),
  new Part('dues', 'moorings', '/dues?state=open', (text) =>
    table(
      JSON.parse(text).map((d) => [d.number, d.vessel.name, `${d.total.amount} ${d.total.currency}`]),
      'Nothing is owed.',
    ),
  ),
  new Part('warnings', 'tides', '/warnings', (text) =>
    table(
      JSON.parse(text).map((w) => [w.severity, w.text]),
      'No warning is in force.',
    ),
  ),
  new Part('level', 'tides', '/stations/inner-quay/level', (text) => {
    const { levelMetres, trend } = JSON.parse(text);
    const out = words('p', `${levelMetres.toFixed(2)} m `, 'large');
    out.append(words('small', trend));
    return out;
  }),
  new Part('holds', 'customs', '/Desk12', holds, {
    method: 'POST',
    headers: { 'Content-Type': 'application/soap+xml; charset=utf-8' },
    body: envelope,
  }),
];

const askAll = () => Promise.all(parts.map((part) => part.ask()));
document.getElementById('again').addEventListener('click', askAll);
await askAll();
setInterval(askAll, 10_000);
