"""Write the shipped CSV anew: ``python -m envelt.demo``."""

from . import csv_path
from .generator import make_hives

if __name__ == "__main__":
    make_hives().to_csv(csv_path(), index=False)
