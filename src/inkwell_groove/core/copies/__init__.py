"""Access copies: what players take, made from lossless masters again at any time, their loudness measured."""
