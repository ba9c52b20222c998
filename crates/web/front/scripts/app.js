// The one script of all pages: every part that moves is a component here, named in its template by `x-data`.
import Alpine from "@alpinejs/csp";
import persist from "@alpinejs/persist";
import "bootstrap/js/dist/dropdown";
import "bootstrap/js/dist/offcanvas";
import { cooling } from "./cooling.js";
import { fieldMap } from "./field_map.js";
import { enlarged, figure } from "./figure.js";
import { job } from "./job.js";
import { listen } from "./listen.js";
import { order } from "./order.js";
import { localTime, page, places, views } from "./page.js";
import { passkey } from "./passkey.js";
import { newPassword } from "./password.js";
import { picker } from "./picker.js";
import { pickupSet } from "./pickup_set.js";
import { gantt, plan } from "./plan.js";
import { plot } from "./plot.js";
import { rewind } from "./rewind.js";
import { search } from "./search.js";
import { station } from "./station.js";
import { textFile } from "./text_file.js";
import { themeStore } from "./theme.js";
import { dueTimers, timer, timerStore } from "./timers.js";
import { undoStore } from "./undo_store.js";
import { fetchedPanel, workbench } from "./workbench.js";

Alpine.plugin(persist);

const components = {
  cooling,
  dueTimers,
  enlarged,
  fetchedPanel,
  fieldMap,
  figure,
  gantt,
  job,
  listen,
  newPassword,
  order,
  page,
  passkey,
  picker,
  places,
  pickupSet,
  plan,
  plot,
  rewind,
  search,
  station,
  textFile,
  timer,
  views,
  workbench,
};
for (const [name, make] of Object.entries(components)) Alpine.data(name, make);
Alpine.store("undo", undoStore());
Alpine.store("timers", timerStore());
Alpine.store("theme", themeStore());
Alpine.directive("local-time", localTime);
// The plugin that merges markup looks for it there.
window.Alpine = Alpine;
Alpine.start();
