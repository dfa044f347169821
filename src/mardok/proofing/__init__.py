"""What is wrong with words and facts: spelling, slips, and sentences that disagree."""
