import { Pause, Play } from "lucide-react";

import { trackPlayer, useTrackHeard } from "../player/track";

/** Plays a track or file; pressed again, it stops. */
export function HearButton({ sound, name }: { sound: string; name: string }) {
  const heard = useTrackHeard();
  if (!sound) return null;
  const isThis = heard?.sound === sound && heard.playing;
  return (
    <button
      type="button"
      className="text-primary"
      aria-label={`${isThis ? "Stop" : "Hear"} ${name}`}
      onClick={() => (isThis ? trackPlayer.toggle() : trackPlayer.play(sound, name))}
    >
      {isThis ? <Pause size={15} aria-hidden /> : <Play size={15} aria-hidden />}
    </button>
  );
}
