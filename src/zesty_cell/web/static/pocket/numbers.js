// Times as they stand on a watch.
export const clock = (seconds) => {
  const whole = Math.max(Math.round(seconds), 0);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
};

export const timeOf = (since) => new Date(since).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", hourCycle: "h23" });

// “as known at 9:14”, and of another day with its date.
export const momentOf = (iso) => {
  const moment = new Date(iso);
  const today = new Date().toDateString() === moment.toDateString();
  return today ? timeOf(moment) : `${timeOf(moment)}, ${moment.toLocaleDateString("en-GB", { day: "numeric", month: "long" })}`;
};

export const localInput = (iso) => {
  const moment = new Date(iso);
  return new Date(moment - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
};
