// The booking site: asks what to show, shows it, and tells what happened.
"use strict";

const VERSION = "booking 42";

const { page, key, verdict } = document.body.dataset;
const main = document.getElementById("page");
const form = document.getElementById("who");
const steps = ["home", "sailings", "seat", "extras", "payment", "done"];

const somebodyNew = () => `web-${crypto.getRandomValues(new Uint32Array(1))[0].toString(36)}`;
const address = new URLSearchParams(location.search);
const who = JSON.parse(kept(() => localStorage.getItem("tidewick")) ?? "null") ?? {
  visitor: somebodyNew(),
  device: "computer",
  source: "direct",
  language: "en",
};
who.resident ??= false;
for (const name of Object.keys(who)) if (address.get(name)) who[name] = address.get(name);
who.resident = String(who.resident) === "true";
keep();

/** A browser may keep nothing for a page in a frame of another site. */
function kept(work) {
  try {
    return work();
  } catch {
    return null;
  }
}

function keep() {
  kept(() => localStorage.setItem("tidewick", JSON.stringify(who)));
  for (const [name, value] of Object.entries(who)) {
    if (typeof value === "boolean") form.elements[name].checked = value;
    else form.elements[name].value = value;
  }
}

/** The script of Neat Verdict, as on any site; here the visitor and what is known of them come from the form. */
function load() {
  const { visitor, ...known } = who;
  const script = document.createElement("script");
  script.src = `${verdict}/site/v1/neat.js?key=${encodeURIComponent(key)}`;
  Object.assign(script.dataset, { unit: visitor, properties: JSON.stringify(known), version: VERSION, timeout: 3000 });
  return new Promise((resolve) => {
    script.onload = resolve;
    script.onerror = resolve; // without it everybody sees what is there today
    document.head.append(script);
  }).then(() => window.neat?.ready);
}

function send(event, more = {}) {
  window.neat?.track(event, more);
  sent.push(event);
  kept(() => sessionStorage.setItem("sent", JSON.stringify(sent.slice(-8))));
  list("sent", sent);
}

/** What this visit has sent, on earlier pages too: a click that leads on leaves the page at once. */
const sent = JSON.parse(kept(() => sessionStorage.getItem("sent")) ?? "[]");

function list(id, lines) {
  document.getElementById(id).replaceChildren(
    ...lines.map((text) => {
      const line = document.createElement("li");
      line.textContent = text;
      return line;
    }),
  );
}

/** What an experiment says about a parameter; showing it is the exposure. */
const shown = (parameter, otherwise) => window.neat?.get(parameter, otherwise) ?? otherwise;

const HEADLINES = {
  name: "Selkie Isle",
  distance: "Selkie Isle, two hours away",
  night: "A night on an island",
  price: "Islands from 27 €",
};
const SAILINGS = ["07:30 Selkie Isle", "09:05 Kelp Holm", "11:15 Selkie Isle", "13:40 Far Skerry", "16:40 Selkie Isle"];
const TIMETABLES = { today: SAILINGS, next: SAILINGS.slice(0, 3) };
const BREAKFASTS = {
  none: "Breakfast on board",
  coffee: "Breakfast on board (a picture of a cup of coffee)",
  table: "Breakfast on board (a picture of a laid table)",
};

const SUGGESTIONS = {
  none: "What others do on the islands",
  walk: "A walk to the lighthouse, two hours there and back",
  bicycle: "A bicycle for a day, taken along on board",
};

const GREETINGS = { plain: "", home: "Good to see you again. Going home?" };

const PAGES = {
  home: () =>
    part("h1", "Where to?") +
    (GREETINGS[shown("greeting", "plain")] ? part("p", GREETINGS[shown("greeting", "plain")], "banner") : "") +
    (shown("home_banner", false) ? part("p", "Calm sea today: 11°C, light wind from the west.", "banner") : "") +
    part("h2", HEADLINES[shown("island_headline", "name")]) +
    does("See the island", "island_opened") +
    part("p", SUGGESTIONS[shown("home_suggestion", "none")]) +
    does("See the suggestion", "suggestion_opened") +
    part("p", "From North Quay to Selkie Isle, tomorrow, two passengers.") +
    (TIMETABLES[shown("home_timetable", "link")] ?? []).map((line) => part("div", line, "card")).join("") +
    does("Look up a sailing", "timetable_used") +
    does("Choose an island", "island_chosen") +
    (who.resident ? does("The residents' fare", "resident_fare_opened") : "") +
    next("Search sailings", "search"),
  islands: () =>
    part("h1", "Which island?") +
    ["Selkie Isle", "Kelp Holm", "Far Skerry"].map((island) => part("div", `${island}, from 27 €`, "card")).join("") +
    does("Choose Selkie Isle", "island_chosen") +
    next("Search sailings", "search"),
  sailings: () =>
    shown("sailings_begin_with", "list") === "calendar"
      ? part("h1", "Choose a day by its fare") +
        `<div class="days">${["Mon 31", "Tue 29", "Wed 27", "Thu 27", "Fri 38", "Sat 44", "Sun 41"].map((day) => part("div", `${day} €`, "card")).join("")}</div>` +
        next("Open the sailing", "sailing_opened")
      : part("h1", "Sailings tomorrow") +
        ["07:30", "11:15", "16:40"].map((hour) => part("div", `${hour} North Quay to Selkie Isle`, "card")).join("") +
        next("Open the sailing", "sailing_opened"),
  seat: () =>
    part("h1", "Choose a seat") +
    (shown("offer_cabin_at_seat", false)
      ? part("p", "Rather a cabin? From 39 € a person.", "banner") + does("Add a cabin", "cabin_added")
      : "") +
    next("Take seat 12F", "seat_chosen"),
  extras: () =>
    part("h1", "Anything else?") +
    part("p", String(shown("pet_wording", "Pet-friendly cabin"))) +
    does("Add it", "pet_added") +
    part("p", BREAKFASTS[shown("breakfast_picture", "none")]) +
    does("Add a breakfast", "breakfast_added") +
    next("Go to payment", "payment_started", {}, "extras_passed"),
  payment: () => part("h1", "Pay 84.50 €") + next("Pay", "booking_paid", { amount: 84.5, passengers: 2, legs: 1 }),
  done: () => part("h1", "Bon voyage!") + part("p", "Your invented tickets are on their invented way."),
};

function part(tag, text, name = "") {
  const made = document.createElement(tag);
  made.textContent = text;
  if (name) made.className = name;
  return made.outerHTML;
}

const actions = [];
function does(label, event) {
  actions.push({ event });
  return `<button data-action="${actions.length - 1}">${label}</button> `;
}
function next(label, event, more, also) {
  actions.push({ event, more, also, then: steps[Math.max(steps.indexOf(page), 0) + 1] });
  return `<p><button data-action="${actions.length - 1}">${label}</button></p>`;
}

main.addEventListener("click", (click) => {
  const action = actions[click.target.dataset.action];
  if (!action) return;
  click.target.disabled = true;
  send(action.event, action.more);
  if (action.also) send(action.also);
  if (action.then) location.assign(`/tidewick/${action.then}`);
});
form.addEventListener("submit", (submitted) => {
  submitted.preventDefault();
  for (const name of Object.keys(who)) {
    const field = form.elements[name];
    who[name] = field.type === "checkbox" ? field.checked : field.value || who[name];
  }
  keep();
  location.assign("/tidewick/");
});
document.getElementById("another").addEventListener("click", () => {
  who.visitor = somebodyNew();
  keep();
  location.assign("/tidewick/");
});

load().then(() => {
  main.innerHTML = PAGES[page]();
  const assignments = window.neat?.assignments() ?? [];
  list("assigned", assignments.map(({ experiment, variant, reason }) => `${experiment}: ${variant} (${reason})`));
  list("sent", sent);
});
