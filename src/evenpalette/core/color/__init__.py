"""Color: encodings, spaces and differences. Arrays end in an axis of three channels unless said otherwise."""
