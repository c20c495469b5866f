"""Speak the words of *Burner crew* into the small file that ships; needs flite, a free synthesiser.

python packaging/crew_speech.py; prints where each sentence begins in the file and ends, for `crew_truth.py`.
"""

import subprocess
import tempfile
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame

from chronoxis.demo.crew_truth import SENTENCES, SPEECH

RATE, PAUSE, LEVEL = 48_000, 0.4, 0.12
QUIET = 0.02  # of the loudest sample: before and after it nothing is said


def spoken(voice: str, words: str) -> npt.NDArray[np.float32]:
    """A sentence, without silence around it, at a common level."""
    with tempfile.NamedTemporaryFile(suffix=".wav") as file:
        subprocess.run(["flite", "-voice", voice, "-t", words, "-o", file.name], check=True)
        with av.open(file.name) as container:
            resampler = av.AudioResampler("fltp", "mono", RATE)
            decoded = (part for frame in container.decode(audio=0) for part in resampler.resample(frame))
            samples = np.concatenate([part.to_ndarray()[0] for part in decoded])
    loud = np.flatnonzero(np.abs(samples) > QUIET * np.abs(samples).max())
    samples = samples[loud[0] : loud[-1] + 1]
    return np.asarray(samples * (LEVEL / np.sqrt(np.mean(samples**2))), np.float32)


def main() -> None:
    """Write the file."""
    pause = np.zeros(round(PAUSE * RATE), np.float32)
    parts, at = [pause], len(pause)
    for sentence in SENTENCES:
        samples = spoken(sentence.voice, sentence.words)
        print(f"{at / RATE:.3f}, {(at + len(samples)) / RATE:.3f}  {sentence.words}")
        parts += [samples, pause]
        at += len(samples) + len(pause)
    whole = np.clip(np.concatenate(parts), -1, 1)
    path = Path(__file__).parents[1] / "src" / "chronoxis" / "demo" / SPEECH
    with av.open(str(path), "w", format="ogg") as container:
        stream = container.add_stream("libopus", rate=RATE, layout="mono")
        stream.bit_rate = 28_000
        frame = AudioFrame.from_ndarray(whole[None], "fltp", "mono")
        frame.sample_rate = RATE
        for packet in (*stream.encode(frame), *stream.encode(None)):
            container.mux(packet)


if __name__ == "__main__":
    main()
