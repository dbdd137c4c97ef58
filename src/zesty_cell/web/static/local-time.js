// Moments are kept and sent in UTC; here they are written in the time of whoever looks.
const DAY = { day: "numeric", month: "long", year: "numeric" }, HOUR = { hour: "2-digit", minute: "2-digit", hourCycle: "h23" };

export function localTimes(root = document) {
  for (const place of root.querySelectorAll("time[datetime]")) {
    const moment = new Date(place.getAttribute("datetime"));
    if (Number.isNaN(moment.getTime())) continue;
    place.title = place.textContent;
    const hour = moment.toLocaleTimeString("en-GB", HOUR);
    if ("clock" in place.dataset) { place.textContent = hour; continue; }
    place.textContent = `${moment.toLocaleDateString("en-GB", DAY)}, ${hour}`;
  }
  for (const input of root.querySelectorAll("input[data-zone]")) {
    input.value = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";
  }
}
