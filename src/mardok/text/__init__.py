"""Chrome against main text, words, shingles: arrays over the whole site."""
