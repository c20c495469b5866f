"""*Burner crew*, heard: what is said, over wind and the burner's roar; the speech ships with the program."""

from importlib.resources import as_file, files

import av
import numpy as np
import numpy.typing as npt

from chronoxis.demo.crew_truth import ROARS, SENTENCES, SPEECH
from chronoxis.demo.tower_sound import SAMPLE_RATE, lay, low_noise

_WIND, _WIND_HZ = 0.02, 400
_ROAR_HZ = 1200
_ROAR = 0.25


def crew_sound(seconds: float) -> npt.NDArray[np.float32]:
    """Mono samples, -1..1, shape (seconds * 48000,)."""
    count = round(seconds * SAMPLE_RATE)
    random = np.random.default_rng(41)
    sound = low_noise(random, count, _WIND_HZ) * _WIND
    roar = low_noise(random, SAMPLE_RATE * 4, _ROAR_HZ) * _ROAR
    for begin, end in ROARS:
        lay(sound, roar, begin, end)
    speech = spoken().astype(np.float64)
    for sentence in SENTENCES:
        first, stop = (round(second * SAMPLE_RATE) for second in sentence.spoken)
        lay(sound, speech[first:stop], sentence.begin, sentence.end)
    return np.clip(sound, -1, 1).astype(np.float32)


def spoken() -> npt.NDArray[np.float32]:
    """All sentences, one after the other."""
    with as_file(files("chronoxis.demo") / SPEECH) as path, av.open(str(path)) as container:
        resampler = av.AudioResampler("fltp", "mono", SAMPLE_RATE)
        parts = [part for frame in container.decode(audio=0) for part in resampler.resample(frame)]
        return np.concatenate([part.to_ndarray()[0] for part in parts])
