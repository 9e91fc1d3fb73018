"use strict";
// A listening page: takes of a song side by side, in time and equally loud, and what is said of them.
const SWITCH_S = 0.01,
  DRAG_PX = 6,
  COLUMNS = 1200,
  SKIP_S = 5;
const page = JSON.parse(document.getElementById("page").textContent);
const store = `tin-kettle-page:${page.id}`;
const el = (tag, attributes = {}, ...inside) => {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) made.addEventListener(name.slice(2), value);
    else if (value === true) made.setAttribute(name, "");
    else if (value !== false && value !== null) made.setAttribute(name, value);
  }
  made.append(...inside.filter((one) => one !== null));
  return made;
};
const clock = (seconds, tenths = false) => {
  const whole = tenths ? Math.floor(seconds * 10) / 10 : Math.floor(seconds);
  const rest = (whole % 60).toFixed(tenths ? 1 : 0).padStart(tenths ? 4 : 2, "0");
  return `${Math.floor(whole / 60)}:${rest}`;
};

// ---- what is kept in the browser until it is sent

function load() {
  try {
    return JSON.parse(localStorage.getItem(store)) ?? {};
  } catch {
    return {};
  }
}
const kept = { by: "", songs: {}, ...load() };
const noteOf = (number) =>
  (kept.songs[page.songs[number].title] ??= { choice: null, approved: false, comments: [], order: null });
function keep() {
  try {
    localStorage.setItem(store, JSON.stringify(kept));
  } catch {
    status("This browser keeps nothing: send your comments before you close the page.");
  }
}

// ---- the sound

let context = null;
const decoded = new Map();
let song = 0,
  take = 0,
  playing = false,
  matched = page.match,
  at = 0,
  startedAt = 0,
  loop = null,
  voices = [],
  turn = 0;

const soundOf = (s, t) => document.querySelector(`script[data-song="${s}"][data-take="${t}"]`);
const gainOf = (s, t) => (matched ? 10 ** (Number(soundOf(s, t).dataset.gainDb) / 20) : 1);
const secondsOf = (s) => Math.max(...page.songs[s].takes.map(({ seconds }) => seconds));

function audio() {
  context ??= new AudioContext({ sampleRate: page.songs[song].takes[0].rate_hz });
  return context;
}

/** A take as samples, taken apart when it is first wanted. */
function decode(s, t) {
  const key = `${s} ${t}`;
  if (!decoded.has(key)) {
    const text = soundOf(s, t).textContent;
    const bytes = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
    // another context than the one that plays: it needs no click to begin with
    const maker = new OfflineAudioContext(2, 1, page.songs[s].takes[t].rate_hz);
    decoded.set(key, maker.decodeAudioData(bytes.buffer));
  }
  return decoded.get(key);
}

function forgetOthers(s) {
  for (const key of decoded.keys()) if (Number(key.split(" ")[0]) !== s) decoded.delete(key);
}

const position = () => {
  if (!playing) return at;
  const gone = at + context.currentTime - startedAt;
  if (!loop || gone < loop[1] || at >= loop[1]) return Math.min(gone, secondsOf(song));
  return loop[0] + ((gone - loop[0]) % (loop[1] - loop[0]));
};

function silence() {
  turn += 1;
  for (const { source } of voices) {
    source.onended = null;
    source.stop();
  }
  voices = [];
}

/** All takes run beside each other; which one is heard is a matter of their gains. */
async function start() {
  const mine = ++turn;
  const sound = audio();
  await sound.resume();
  await decode(song, take);
  if (mine !== turn) return;
  silence();
  const now = ++turn;
  startedAt = sound.currentTime + 0.02;
  playing = true;
  draw();
  const order = [take, ...page.songs[song].takes.keys()].filter((t, i, all) => all.indexOf(t) === i);
  for (const t of order) {
    const buffer = await decode(song, t);
    if (now !== turn) return;
    run(t, buffer);
  }
  drawWave();
}

function run(t, buffer) {
  const source = context.createBufferSource();
  const gain = context.createGain();
  source.buffer = buffer;
  const late = context.currentTime > startedAt;
  const from = late ? position() + 0.02 : at;
  if (loop && at < loop[1]) Object.assign(source, { loop: true, loopStart: loop[0], loopEnd: loop[1] });
  gain.gain.value = t === take ? gainOf(song, t) : 0;
  source.connect(gain).connect(context.destination);
  source.start(late ? context.currentTime + 0.02 : startedAt, from);
  if (t === take) source.onended = ended;
  voices[t] = { source, gain };
}

function ended() {
  if (!playing || loop) return;
  stop();
  at = 0;
  if (song + 1 < page.songs.length) open(song + 1, true);
  else draw();
}

function stop() {
  if (playing) at = position();
  playing = false;
  silence();
  draw();
}

function toggle() {
  if (playing) stop();
  else start().catch(() => status("This browser cannot play the sound of this page."));
}

function seek(seconds) {
  const was = playing;
  if (was) stop();
  at = Math.max(0, Math.min(seconds, secondsOf(song) - 0.05));
  if (was) start();
  else draw();
}

/** Go over to another take in time with the music. */
function hear(t) {
  if (t >= page.songs[song].takes.length) return;
  take = t;
  for (const [number, voice] of voices.entries()) {
    if (!voice) continue;
    const { gain, source } = voice;
    source.onended = number === take ? ended : null;
    gain.gain.cancelScheduledValues(context.currentTime);
    gain.gain.setValueAtTime(gain.gain.value, context.currentTime);
    gain.gain.linearRampToValueAtTime(
      number === take ? gainOf(song, number) : 0,
      context.currentTime + SWITCH_S,
    );
  }
  draw();
  drawWave();
}

function open(number, goOn = false) {
  const was = playing || goOn;
  if (playing) stop();
  song = number;
  take = 0;
  at = 0;
  loop = null;
  writing = null;
  forgetOthers(song);
  draw();
  if (was) start();
  else show();
}

/** The waveform of what would be heard, before anything is. */
function show() {
  const shown = song;
  decode(shown, take).then(
    () => shown === song && drawWave(),
    () => status("This browser cannot play the sound of this page."),
  );
}

// ---- names that are hidden until one is chosen

function order(number) {
  const { takes } = page.songs[number];
  const note = noteOf(number);
  const plain = [...takes.keys()];
  if (!page.blind || note.choice !== null) return plain;
  if (note.order?.length !== takes.length) {
    note.order = plain;
    for (let i = plain.length - 1; i > 0; i--) {
      const j = Math.floor(Math.random() * (i + 1));
      [note.order[i], note.order[j]] = [note.order[j], note.order[i]];
    }
    keep();
  }
  return note.order;
}
const hidden = () => page.blind && noteOf(song).choice === null;
const nameOf = (t) =>
  hidden() ? String.fromCharCode(65 + order(song).indexOf(t)) : page.songs[song].takes[t].name;

// ---- what is said

let writing = null;

function comment() {
  writing = { at_s: loop ? loop[0] : position(), until_s: loop ? loop[1] : null, whole: false, text: "" };
  draw();
  document.getElementById(kept.by ? "words" : "by").focus();
}

function save(event) {
  event.preventDefault();
  const words = document.getElementById("words").value.trim();
  const by = document.getElementById("by");
  if (by) kept.by = by.value.trim();
  if (!kept.by) return (status("Please say who you are."), by?.focus());
  if (!words) return (status("The comment is empty."), document.getElementById("words").focus());
  const whole = document.getElementById("whole").checked;
  noteOf(song).comments.push({
    at_s: whole ? null : Math.round(writing.at_s * 100) / 100,
    until_s: whole || writing.until_s === null ? null : Math.round(writing.until_s * 100) / 100,
    take: page.songs[song].takes[take].name,
    text: words,
    made: new Date().toISOString().replace(/\.\d+Z$/, "Z"),
  });
  noteOf(song).comments.sort((a, b) => (a.at_s ?? Infinity) - (b.at_s ?? Infinity));
  writing = null;
  keep();
  status("Kept in this browser.");
  draw();
  document.getElementById("comment").focus();
}

function document_() {
  return {
    format: "tin-kettle-comments",
    version: 1,
    page: page.id,
    by: kept.by,
    songs: page.songs.map(({ title }, number) => {
      const { choice, approved, comments } = noteOf(number);
      return { title, choice, approved, comments };
    }),
  };
}

function sendBack() {
  const text = JSON.stringify(document_(), null, 2);
  const link = el("a", {
    href: URL.createObjectURL(new Blob([text], { type: "application/json" })),
    download: `${page.title.replace(/[\\/:*?"<>|]+/g, " ").trim() || "page"}.comments.json`,
  });
  document.body.append(link);
  link.click();
  link.remove();
  status("Saved as a file: send it to whoever gave you this page.");
  shownText = text;
  draw();
}

let shownText = null;

function choose() {
  noteOf(song).choice = page.songs[song].takes[take].name;
  keep();
  draw();
}

function approve() {
  const note = noteOf(song);
  note.approved = !note.approved;
  if (note.approved) note.choice = page.songs[song].takes[take].name;
  keep();
  draw();
}

function status(text) {
  document.getElementById("status").textContent = text;
}

// ---- the page

const app = document.getElementById("app");
app.append(
  el(
    "header",
    {},
    el("div", {}, el("h1", {}, page.title), el("p", {}, page.artist)),
    page.message ? el("p", { class: "message" }, page.message) : null,
  ),
  el("main", {}, el("nav", { id: "songs", "aria-label": "Songs" }), el("section", { id: "song" })),
  el("footer", { id: "foot" }),
);

function draw() {
  const focused = document.activeElement?.id;
  document.getElementById("songs").replaceChildren(...page.songs.map(songRow));
  const { takes } = page.songs[song];
  const wave =
    document.getElementById("wave") ??
    el("canvas", {
      id: "wave",
      tabindex: 0,
      role: "slider",
      "aria-label": "Position in the song",
      "aria-valuemin": 0,
      onkeydown: waveKey,
    });
  const parts = [
    el(
      "div",
      { class: "transport" },
      el("button", { id: "play", class: "play", onclick: toggle }, playing ? "Pause" : "Play"),
      el(
        "div",
        { class: "time" },
        el("b", { id: "now" }, clock(position(), true)),
        el("span", { class: "cap" }, `of ${clock(secondsOf(song))}`),
      ),
      ...order(song).map((t, place) => takeButton(t, place)),
      takes.length > 1 ? loudness() : null,
    ),
    wave,
    el(
      "div",
      { class: "row" },
      el("h2", {}, "Comments"),
      el("button", { id: "comment", onclick: comment }, "Comment"),
      el(
        "span",
        { class: "cap" },
        loop ? `on ${clock(loop[0])} to ${clock(loop[1])}, which loops` : "on the moment that is heard (C)",
      ),
      loop ? el("button", { class: "link", onclick: () => setLoop(null) }, "End the loop") : null,
    ),
    writing ? form() : null,
    el("ul", {}, ...noteOf(song).comments.map(commentRow)),
    shownText
      ? el("label", {}, "The same as text", el("textarea", { rows: 6, readonly: true }, shownText))
      : null,
  ];
  document.getElementById("song").replaceChildren(...parts.filter((part) => part !== null));
  listen(wave);
  drawFoot();
  drawWave();
  if (focused) document.getElementById(focused)?.focus();
}

function songRow({ title }, number) {
  const { approved } = noteOf(number);
  const about = approved
    ? el("small", { class: "approved" }, "approved")
    : el("small", {}, clock(secondsOf(number)));
  return el(
    "button",
    { id: `song-${number}`, "aria-current": String(number === song), onclick: () => open(number) },
    `${number + 1} ${title}`,
    about,
  );
}

function takeButton(t, place) {
  return el(
    "button",
    { id: `take-${place}`, class: "take", "aria-pressed": String(t === take), onclick: () => hear(t) },
    nameOf(t),
    el("small", { "aria-hidden": "true" }, String(place + 1)),
  );
}

function loudness() {
  const turnMatch = () => {
    matched = !matched;
    hear(take);
  };
  return el(
    "div",
    { class: "loud" },
    el("b", {}, matched ? "All equally loud" : "Each at its own level"),
    el(
      "button",
      { id: "level", class: "link", onclick: turnMatch },
      matched ? "Hear their own level" : "Hear them equally loud",
    ),
  );
}

function form() {
  const words = el("textarea", { id: "words", rows: 3, maxlength: 4000 }, writing.text);
  words.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && !event.shiftKey) save(event);
  });
  words.addEventListener("input", () => (writing.text = words.value));
  const cancel = () => {
    writing = null;
    draw();
  };
  return el(
    "form",
    { "aria-label": "New comment", onsubmit: save },
    kept.by
      ? null
      : el("label", {}, "Your name", el("input", { id: "by", maxlength: 120, autocomplete: "name" })),
    el(
      "label",
      {},
      `Comment at ${clock(writing.at_s)}${writing.until_s === null ? "" : ` to ${clock(writing.until_s)}`}`,
      words,
    ),
    el(
      "div",
      { class: "row" },
      el(
        "label",
        {},
        el("span", {}, el("input", { id: "whole", type: "checkbox" }), " about the whole song"),
      ),
    ),
    el(
      "div",
      { class: "row" },
      el("button", { class: "strong" }, "Save"),
      el("button", { type: "button", onclick: cancel }, "Cancel"),
    ),
  );
}

function commentRow(one, number) {
  const remove = () => {
    noteOf(song).comments.splice(number, 1);
    keep();
    draw();
    document.getElementById("comment").focus();
  };
  const when =
    one.at_s === null ? "song" : clock(one.at_s) + (one.until_s === null ? "" : `–${clock(one.until_s)}`);
  return el(
    "li",
    {},
    one.at_s === null
      ? el("b", {}, when)
      : el(
          "button",
          { class: "link", "aria-label": `Go to ${when}`, onclick: () => seek(one.at_s) },
          el("b", {}, when),
        ),
    el("p", {}, one.text),
    el(
      "span",
      { class: "cap" },
      hidden() ? "" : `${one.take} `,
      el(
        "button",
        { class: "link", "aria-label": `Remove what was said at ${when}`, onclick: remove },
        "Remove",
      ),
    ),
  );
}

const counted = (count, what) => `${count} ${what}${count === 1 ? "" : "s"}`;

function drawFoot() {
  const count = page.songs.reduce((sum, _, number) => sum + noteOf(number).comments.length, 0);
  const approved = page.songs.filter((_, number) => noteOf(number).approved).length;
  const note = noteOf(song);
  const name = nameOf(take);
  const chosen = note.choice === page.songs[song].takes[take].name;
  document
    .getElementById("foot")
    .replaceChildren(
      page.songs[song].takes.length > 1
        ? el(
            "button",
            { id: "choose", "aria-pressed": String(chosen), onclick: choose },
            chosen ? `${name} is chosen` : `Choose ${name}`,
          )
        : "",
      el(
        "button",
        { id: "approve", "aria-pressed": String(note.approved), onclick: approve },
        note.approved ? "Approved" : "Approve this song",
      ),
      el(
        "span",
        { class: "cap", id: "status", role: "status" },
        `${counted(count, "comment")}, ${counted(approved, "song")} approved. Kept in this browser until you send them.`,
      ),
      el("button", { id: "send", class: "strong", onclick: sendBack }, "Send back"),
    );
}

// ---- the waveform: the first take above the line, the one that is heard below

const shapes = new WeakMap();

function shapeOf(buffer) {
  if (!shapes.has(buffer)) {
    const peaks = new Float32Array(COLUMNS);
    for (let channel = 0; channel < buffer.numberOfChannels; channel++) {
      const samples = buffer.getChannelData(channel);
      for (let i = 0; i < COLUMNS; i++) {
        const end = Math.ceil(((i + 1) * samples.length) / COLUMNS);
        for (let k = Math.floor((i * samples.length) / COLUMNS); k < end; k += 8)
          peaks[i] = Math.max(peaks[i], Math.abs(samples[k]));
      }
    }
    shapes.set(buffer, peaks);
  }
  return shapes.get(buffer);
}

let drawing = 0;

async function drawWave() {
  const mine = ++drawing;
  const canvas = document.getElementById("wave");
  if (!canvas) return;
  const ready = async (t) => (decoded.has(`${song} ${t}`) ? shapeOf(await decode(song, t)) : null);
  const [above, below] = [await ready(0), await ready(take)];
  if (mine !== drawing) return;
  const css = getComputedStyle(document.documentElement);
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  canvas.width = width * devicePixelRatio;
  canvas.height = height * devicePixelRatio;
  const paint = canvas.getContext("2d");
  paint.scale(devicePixelRatio, devicePixelRatio);
  const [top, middle] = [18, 18 + (height - 18) / 2];
  const reach = (height - top) / 2 - 2;
  const seconds = secondsOf(song);
  const x = (s) => (s / seconds) * width;
  const now = position();
  paint.font = "12px system-ui, sans-serif";
  if (loop) {
    paint.fillStyle = css.getPropertyValue("--line");
    paint.fillRect(x(loop[0]), top, x(loop[1]) - x(loop[0]), height - top);
  }
  paint.fillStyle = css.getPropertyValue("--mute");
  for (const { name, at_s } of page.songs[song].sections) {
    paint.fillText(name, x(at_s) + 3, 12);
    paint.fillRect(x(at_s), 0, 1, height);
  }
  paint.fillRect(0, middle, width, 1);
  for (let px = 0; px < width; px += 2) {
    const column = Math.floor((px / width) * COLUMNS);
    const played = (px / width) * seconds < now;
    for (const [peaks, gain, way] of [
      [above, gainOf(song, 0), -1],
      [below, gainOf(song, take), 1],
    ]) {
      const size = peaks ? Math.min(1, peaks[column] * gain) * reach : 1;
      paint.fillStyle = css.getPropertyValue(played ? "--rim" : "--tin");
      paint.fillRect(px, way < 0 ? middle - size : middle, 1.4, size);
    }
  }
  paint.fillStyle = css.getPropertyValue("--copper");
  for (const one of noteOf(song).comments) {
    if (one.at_s === null) continue;
    paint.beginPath();
    paint.arc(x(one.at_s), height - 6, 5, 0, 7);
    paint.fill();
  }
  paint.fillStyle = css.getPropertyValue("--ink");
  paint.fillRect(x(now) - 1, top, 2, height - top);
  canvas.setAttribute("aria-valuemax", String(Math.round(seconds)));
  canvas.setAttribute("aria-valuenow", String(Math.round(now)));
  canvas.setAttribute("aria-valuetext", clock(now));
}

function setLoop(range) {
  const was = playing;
  if (was) stop();
  loop = range;
  if (range) at = range[0];
  draw();
  if (was) start();
}

function listen(canvas) {
  if (canvas.dataset.listens) return;
  canvas.dataset.listens = "yes";
  let from = null;
  const secondsAt = (event) => {
    const box = canvas.getBoundingClientRect();
    return Math.max(0, Math.min(1, (event.clientX - box.left) / box.width)) * secondsOf(song);
  };
  canvas.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    from = { x: event.clientX, seconds: secondsAt(event) };
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointerup", (event) => {
    if (!from) return;
    const [start, end] = [from.seconds, secondsAt(event)].sort((a, b) => a - b);
    const dragged = Math.abs(event.clientX - from.x) > DRAG_PX;
    from = null;
    if (dragged && end - start > 0.2) setLoop([start, end]);
    else seek(end);
  });
  canvas.addEventListener("dblclick", () => comment());
  canvas.addEventListener("pointercancel", () => (from = null));
}

function waveKey(event) {
  const by = { ArrowLeft: -SKIP_S, ArrowRight: SKIP_S }[event.key];
  if (by === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  seek(position() + by);
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, textarea") || event.ctrlKey || event.metaKey || event.altKey) {
    if (event.key === "Escape" && writing) {
      writing = null;
      draw();
    }
    return;
  }
  const digit = Number(event.key);
  if (event.key === " " && !event.target.closest("button")) toggle();
  else if (digit >= 1 && digit <= page.songs[song].takes.length) hear(order(song)[digit - 1]);
  else if (event.key === "ArrowLeft" || event.key === "ArrowRight")
    seek(position() + (event.key === "ArrowLeft" ? -SKIP_S : SKIP_S));
  else if (event.key === "c" || event.key === "C") comment();
  else return;
  event.preventDefault();
});

function tick() {
  if (playing) {
    const shown = document.getElementById("now");
    if (shown) shown.textContent = clock(position(), true);
    drawWave();
  }
  requestAnimationFrame(tick);
}

take = order(0)[0];
draw();
show();
tick();
addEventListener("resize", drawWave);
window.listeningPage = {
  state: () => ({
    song,
    take,
    playing,
    matched,
    loop,
    position: position(),
    gains: voices.map((voice) => voice?.gain.gain.value),
  }),
  document: document_,
};
