"""The shot from the side, with what would give it away: shown under the picture while something is built."""
