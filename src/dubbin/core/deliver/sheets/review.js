"use strict";
// Plays the program, follows it in the transcript, and keeps comments. Nothing is sent anywhere: comments stay in this page until they are saved as a file.
(() => {
  const $ = (id) => document.getElementById(id);
  const data = JSON.parse($("data").textContent);
  const texts = data.texts;
  const calm = matchMedia("(prefers-reduced-motion: reduce)").matches;
  const audio = new Audio();
  audio.preload = "auto";
  audio.src = URL.createObjectURL(new Blob([bytesOf($("sound").textContent)], { type: $("sound").dataset.type }));
  $("sound").remove();

  let comments = [];
  let saved = true;
  let place = { at: 0, word: -1 };
  let editing = null;
  let heard = -1;
  let lastScroll = -1e9;

  function bytesOf(base64) {
    const text = atob(base64.trim());
    const bytes = new Uint8Array(text.length);
    for (let k = 0; k < text.length; k++) bytes[k] = text.charCodeAt(k);
    return bytes;
  }

  function clock(seconds) {
    const whole = Math.max(Math.floor(seconds), 0);
    const parts = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
    const two = (n) => String(n).padStart(2, "0");
    return parts[0] ? `${parts[0]}:${two(parts[1])}:${two(parts[2])}` : `${parts[1]}:${two(parts[2])}`;
  }

  const fill = (text, values) => text.replace(/\{(\w+)\}/g, (_, name) => values[name]);

  // Place in the session of a moment of the program: what was recorded there stays the same when more is cut.
  function session(at) {
    let low = 0;
    for (let k = 0; k < data.map.length && data.map[k][0] <= at; k++) low = k;
    const span = data.map[low];
    return span ? span[1] + Math.min(Math.max(at - span[0], 0), span[2]) : at;
  }

  function made(tag, text, className) {
    const element = document.createElement(tag);
    if (text) element.textContent = text;
    if (className) element.className = className;
    return element;
  }

  function pressed(text, act) {
    const button = made("button", text);
    button.type = "button";
    button.addEventListener("click", act);
    return button;
  }

  // -- playing ------------------------------------------------------------------------

  const now = () => audio.currentTime || 0;

  function go(seconds) {
    audio.currentTime = Math.min(Math.max(seconds, 0), data.seconds);
    show();
  }

  function toggle() {
    if (audio.paused) audio.play().catch(() => say(texts.no_play));
    else audio.pause();
  }

  audio.addEventListener("play", () => { $("play").textContent = texts.stop; $("play").setAttribute("aria-pressed", "true"); requestAnimationFrame(follow); });
  audio.addEventListener("pause", () => { $("play").textContent = texts.play; $("play").setAttribute("aria-pressed", "false"); show(); });
  audio.addEventListener("error", () => say(texts.no_play));
  $("play").addEventListener("click", toggle);
  $("speed").addEventListener("change", () => { audio.playbackRate = Number($("speed").value); });

  function follow() {
    show();
    if (!audio.paused) requestAnimationFrame(follow);
  }

  function show() {
    const at = now();
    $("time").textContent = clock(at);
    const wave = $("wave");
    wave.setAttribute("aria-valuenow", String(Math.round(at)));
    wave.setAttribute("aria-valuetext", clock(at));
    paint();
    const k = wordAt(at);
    if (k !== heard) {
      if (heard >= 0) spans[heard].classList.remove("now");
      if (k >= 0) {
        spans[k].classList.add("now");
        if (!audio.paused && performance.now() - lastScroll > 4000) inView(spans[k]);
      }
      heard = k;
    }
    chapterButtons.forEach((button, c) => {
      const is = data.chapters[c][0] <= at + 0.01 && (c + 1 === data.chapters.length || at + 0.01 < data.chapters[c + 1][0]);
      if (is) button.setAttribute("aria-current", "true");
      else button.removeAttribute("aria-current");
    });
  }

  function inView(element) {
    const box = element.getBoundingClientRect();
    const top = $("player").getBoundingClientRect().bottom;
    if (box.top < top + 20 || box.bottom > innerHeight - 60) {
      scrollBy({ top: box.top - top - 80, behavior: calm ? "auto" : "smooth" });
    }
  }

  addEventListener("wheel", () => { lastScroll = performance.now(); }, { passive: true });
  addEventListener("touchmove", () => { lastScroll = performance.now(); }, { passive: true });

  // -- words --------------------------------------------------------------------------

  const spans = [];
  const starts = data.words.map((w) => w[0]);

  function wordAt(at) {
    let low = 0, high = starts.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (starts[middle] <= at) low = middle + 1;
      else high = middle;
    }
    return low - 1 >= 0 && at < data.words[low - 1][1] + 0.5 ? low - 1 : -1;
  }

  data.turns.forEach(([speaker, first], t) => {
    const turn = made("p", "", "turn");
    const last = t + 1 < data.turns.length ? data.turns[t + 1][1] : data.words.length;
    const begin = pressed(speaker, () => { go(data.words[first][0]); if (audio.paused) toggle(); });
    begin.title = texts.from_here;
    turn.append(begin, made("time", clock(data.words[first][0])), document.createElement("br"));
    for (let k = first; k < last; k++) {
      const span = made("span", data.words[k][2], "word");
      span.dataset.k = String(k);
      spans.push(span);
      turn.append(k > first && !data.words[k][3] ? " " : "", span);
    }
    $("transcript").append(turn);
  });

  $("transcript").addEventListener("click", (event) => {
    const span = event.target.closest(".word");
    if (span) chooseWord(Number(span.dataset.k), true);
  });

  let cursor = -1;
  function moveCursor(k) {
    if (!spans.length) return;
    if (cursor >= 0) spans[cursor].classList.remove("cursor");
    cursor = Math.min(Math.max(k, 0), spans.length - 1);
    spans[cursor].classList.add("cursor");
    inView(spans[cursor]);
    $("cursor").textContent = `${data.words[cursor][2]}, ${clock(data.words[cursor][0])}`;
  }

  $("transcript").addEventListener("keydown", (event) => {
    if (event.target !== $("transcript")) return;
    const from = cursor >= 0 ? cursor : Math.max(wordAt(now()), 0);
    const turn = data.turns.findIndex(([, first], t) => first <= from && (t + 1 === data.turns.length || from < data.turns[t + 1][1]));
    const moves = {
      ArrowRight: () => moveCursor(cursor < 0 ? from : from + 1), ArrowLeft: () => moveCursor(from - 1),
      ArrowDown: () => moveCursor(data.turns[Math.min(turn + 1, data.turns.length - 1)][1]), ArrowUp: () => moveCursor(data.turns[Math.max(turn - 1, 0)][1]),
      Home: () => moveCursor(0), End: () => moveCursor(spans.length - 1), Enter: () => chooseWord(from, true),
    };
    if (spans.length && moves[event.key]) {
      moves[event.key]();
      event.preventDefault();
      event.stopPropagation();
    }
  });

  function chooseWord(k, writes) {
    moveCursor(k);
    choosePlace(data.words[k][0], k, writes);
  }

  // -- wave and chapters --------------------------------------------------------------

  const canvas = $("canvas");
  const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

  function paint() {
    const ratio = devicePixelRatio || 1;
    const width = Math.round(canvas.clientWidth * ratio), height = Math.round(canvas.clientHeight * ratio);
    if (!width || !height) return;
    if (canvas.width !== width || canvas.height !== height) { canvas.width = width; canvas.height = height; }
    const p = canvas.getContext("2d");
    p.clearRect(0, 0, width, height);
    const head = (now() / data.seconds) * width;
    const columns = data.peaks.length;
    for (let x = 0; x < width; x++) {
      const a = Math.floor((x / width) * columns), b = Math.max(Math.floor(((x + 1) / width) * columns), a + 1);
      let top = 0;
      for (let k = a; k < b && k < columns; k++) top = Math.max(top, data.peaks[k]);
      const half = Math.max((top / 255) * (height / 2 - 8 * ratio), ratio / 2);
      p.fillStyle = x < head ? colour("--saddle") : colour("--muted");
      p.fillRect(x, height / 2 - half, 1, 2 * half);
    }
    p.fillStyle = colour("--indigo");
    for (const [at] of data.chapters) p.fillRect((at / data.seconds) * width, 0, ratio, 10 * ratio);
    for (const comment of comments) {
      const x = (comment.at_s / data.seconds) * width;
      p.beginPath();
      p.moveTo(x - 5 * ratio, height);
      p.lineTo(x + 5 * ratio, height);
      p.lineTo(x, height - 9 * ratio);
      p.fill();
    }
    p.fillStyle = colour("--ink");
    p.fillRect(head - ratio, 0, 2 * ratio, height);
  }

  addEventListener("resize", paint);
  $("wave").addEventListener("click", (event) => {
    const box = canvas.getBoundingClientRect();
    const at = ((event.clientX - box.left) / box.width) * data.seconds;
    choosePlace(at, wordAt(at), true);
  });
  $("wave").addEventListener("keydown", (event) => {
    const step = { ArrowRight: 5, ArrowUp: 5, ArrowLeft: -5, ArrowDown: -5, PageUp: 60, PageDown: -60 }[event.key];
    if (step) go(now() + step);
    else if (event.key === "Home") go(0);
    else if (event.key === "End") go(data.seconds);
    else if (event.key === "Enter") choosePlace(now(), wordAt(now()), true);
    else return;
    event.preventDefault();
  });

  const chapterButtons = data.chapters.map(([at, title]) => {
    const item = made("li");
    const button = pressed(`${clock(at)} ${title}`, () => go(at));
    item.append(button);
    $("chapters").append(item);
    return button;
  });

  // -- comments -----------------------------------------------------------------------

  function choosePlace(at, word, writes) {
    place = { at: Math.min(Math.max(at, 0), data.seconds), word };
    editing = null;
    go(place.at);
    showPlace();
    if (writes) $(($("name").value.trim() ? "text" : "name")).focus({ preventScroll: true });
  }

  function showPlace() {
    const quote = place.word >= 0 ? data.words[place.word][2] : "";
    $("place").textContent = fill(quote ? texts.at_word : texts.at, { time: clock(place.at), word: quote });
    $("add").textContent = editing ? texts.change : texts.add;
  }

  $("form").addEventListener("submit", (event) => {
    event.preventDefault();
    const text = $("text").value.trim(), name = $("name").value.trim();
    if (!name) { say(texts.ask_name); $("name").focus(); return; }
    if (!text) { say(texts.ask_text); $("text").focus(); return; }
    if (editing) editing.text = text;
    else comments.push({ at_s: round(place.at), session_s: round(session(place.at)), quote: place.word >= 0 ? data.words[place.word][2] : "", text });
    comments.sort((a, b) => a.at_s - b.at_s);
    editing = null;
    $("text").value = "";
    changed();
    showPlace();
    say(fill(texts.added, { time: clock(place.at) }));
  });

  const round = (seconds) => Math.round(seconds * 1000) / 1000;

  function changed() {
    saved = comments.length === 0;
    keep();
    showComments();
  }

  function showComments() {
    $("comments").replaceChildren(...comments.map((comment) => {
      const item = made("li");
      item.append(pressed(clock(comment.at_s), () => { go(comment.at_s); if (audio.paused) toggle(); }));
      if (comment.quote) item.append(` “${comment.quote}”`);
      item.append(made("p", comment.text));
      const row = made("div", "", "do");
      row.append(
        pressed(texts.edit, () => { place = { at: comment.at_s, word: wordAt(comment.at_s) }; editing = comment; $("text").value = comment.text; showPlace(); $("text").focus(); }),
        pressed(texts.remove, () => { comments = comments.filter((c) => c !== comment); if (editing === comment) editing = null; changed(); showPlace(); say(texts.removed); }),
      );
      item.append(row);
      return item;
    }));
    $("count").textContent = String(comments.length);
    $("none").hidden = comments.length > 0;
    $("save").disabled = comments.length === 0;
    spans.forEach((span) => span.classList.remove("noted"));
    for (const comment of comments) { const k = wordAt(comment.at_s); if (k >= 0) spans[k].classList.add("noted"); }
    paint();
  }

  const plain = () => ({ format: "dubbin-comments", version: 1, episode: data.id, title: data.title, by: $("name").value.trim(), comments });

  $("save").addEventListener("click", () => {
    if (!$("name").value.trim()) { say(texts.ask_name); $("name").focus(); return; }
    const link = made("a");
    link.href = URL.createObjectURL(new Blob([JSON.stringify(plain(), null, 1)], { type: "application/json" }));
    const name = $("name").value.trim().replace(/[^\p{L}\p{N}]+/gu, "-");
    link.download = `${data.name}.comments.${name}.json`;
    document.body.append(link);
    link.click();
    link.remove();
    saved = true;
    say(fill(texts.saved, { file: link.download }));
  });

  $("open").addEventListener("change", async () => {
    const file = $("open").files[0];
    $("open").value = "";
    if (!file) return;
    try {
      take(JSON.parse(await file.text()));
      say(texts.opened);
    } catch {
      say(texts.not_comments);
    }
  });

  function take(found) {
    if (found.format !== "dubbin-comments" || found.episode !== data.id || !Array.isArray(found.comments)) throw new Error("not comments on this");
    const known = new Set(comments.map((c) => `${c.at_s} ${c.text}`));
    for (const c of found.comments) {
      const at = Number(c.at_s);
      if (!Number.isFinite(at) || typeof c.text !== "string" || known.has(`${at} ${c.text}`)) continue;
      comments.push({ at_s: at, session_s: Number.isFinite(Number(c.session_s)) ? Number(c.session_s) : session(at), quote: String(c.quote || ""), text: c.text });
    }
    comments.sort((a, b) => a.at_s - b.at_s);
    if (!$("name").value && typeof found.by === "string") $("name").value = found.by;
    changed();
  }

  // What was written outlives a page that is closed by mistake, where the browser lets it.
  const shelf = `dubbin comments ${data.id}`;
  function keep() { try { localStorage.setItem(shelf, JSON.stringify(plain())); } catch { /* not allowed here */ } }
  $("name").addEventListener("change", keep);
  addEventListener("beforeunload", (event) => { if (!saved) event.preventDefault(); });

  function say(text) { $("said").textContent = text; }

  // -- keys ---------------------------------------------------------------------------

  addEventListener("keydown", (event) => {
    const tag = event.target.tagName;
    if (event.ctrlKey || event.metaKey || event.altKey || tag === "TEXTAREA" || tag === "SELECT" || (tag === "INPUT" && event.target.type !== "file")) {
      if (tag === "TEXTAREA" && event.key === "Enter" && (event.ctrlKey || event.metaKey)) $("form").requestSubmit();
      if (event.key === "Escape" && (tag === "TEXTAREA" || tag === "INPUT")) event.target.blur();
      return;
    }
    if (event.key === " " && tag !== "BUTTON") { toggle(); event.preventDefault(); }
    else if (event.key === "c" || event.key === "C") { choosePlace(now(), wordAt(now()), true); event.preventDefault(); }
  });

  try {
    const kept = JSON.parse(localStorage.getItem(shelf) || "null");
    if (kept) { $("name").value = kept.by || ""; take(kept); }
  } catch { /* nothing was kept */ }
  showPlace();
  showComments();
  show();
})();
