"""Kernels compiled and loaded before they are needed."""
