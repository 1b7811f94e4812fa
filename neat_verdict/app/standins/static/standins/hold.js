// The first lines of Neat Verdict's snippet, in a file of the site's own: its policy allows no script in the page.
"use strict";

window.neatHold = {
  end() {
    this.over = true;
    document.documentElement.style.opacity = "";
  },
};
document.documentElement.style.opacity = 0;
setTimeout(() => window.neatHold.end(), 300);
