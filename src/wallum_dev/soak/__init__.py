"""A hard hand: mutated files, a random artist, kills; for minutes in the tests, for as long as one likes
by `./wallum soak`."""
