"""The filters of voices, one file each."""
