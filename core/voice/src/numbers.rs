//! Numbers as words, for digits in a text.

const ONES: [&str; 20] = [
    "zero",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
    "thirteen",
    "fourteen",
    "fifteen",
    "sixteen",
    "seventeen",
    "eighteen",
    "nineteen",
];
const TENS: [&str; 10] =
    ["", "", "twenty", "thirty", "forty", "fifty", "sixty", "seventy", "eighty", "ninety"];

/// A run of digits as it is read: whole numbers below a trillion as numbers, longer ones and those
/// with leading zeros digit by digit.
pub(crate) fn words_of(digits: &str) -> Vec<&'static str> {
    let one_by_one = || digits.bytes().map(|b| ONES[usize::from(b - b'0')]).collect();
    if digits.len() > 12 || (digits.len() > 1 && digits.starts_with('0')) {
        return one_by_one();
    }
    let Ok(mut number) = digits.parse::<u64>() else { return one_by_one() };
    if number == 0 {
        return vec![ONES[0]];
    }
    let mut out = Vec::new();
    for (size, name) in [(1_000_000_000, "billion"), (1_000_000, "million"), (1_000, "thousand"), (1, "")] {
        if number >= size {
            below_thousand((number / size) as usize, &mut out);
            if !name.is_empty() {
                out.push(name);
            }
            number %= size;
        }
    }
    out
}

fn below_thousand(mut number: usize, out: &mut Vec<&'static str>) {
    if number >= 100 {
        out.extend([ONES[number / 100], "hundred"]);
        number %= 100;
    }
    if number >= 20 {
        out.push(TENS[number / 10]);
        number %= 10;
    }
    if number > 0 {
        out.push(ONES[number]);
    }
}

#[cfg(test)]
mod tests {
    use super::words_of;

    #[test]
    fn numbers_are_read_as_english_says_them() {
        let read = |d| words_of(d).join(" ");
        assert_eq!(read("0"), "zero");
        assert_eq!(read("40"), "forty");
        assert_eq!(read("1017"), "one thousand seventeen");
        assert_eq!(read("350021"), "three hundred fifty thousand twenty one");
        assert_eq!(read("007"), "zero zero seven");
        assert_eq!(read("1000000000"), "one billion");
    }
}
