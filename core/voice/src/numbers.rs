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

/// Numbers in their order: `first`, `twenty second`.
pub(crate) fn ordinal(digits: &str) -> Vec<String> {
    let mut words: Vec<String> = words_of(digits).into_iter().map(str::to_string).collect();
    if let Some(last) = words.last_mut() {
        *last = match last.as_str() {
            "one" => "first".into(),
            "two" => "second".into(),
            "three" => "third".into(),
            "five" => "fifth".into(),
            "eight" => "eighth".into(),
            "nine" => "ninth".into(),
            "twelve" => "twelfth".into(),
            tens if tens.ends_with('y') => format!("{}ieth", &tens[..tens.len() - 1]),
            other => format!("{other}th"),
        };
    }
    words
}

/// A year as it is said: `nineteen eighty four`, `nineteen oh five`, `nineteen hundred`; none for a number
/// that is said as any other.
pub(crate) fn year(digits: &str) -> Option<Vec<&'static str>> {
    let number: usize = digits.parse().ok().filter(|_| digits.len() == 4)?;
    if !(1100..2000).contains(&number) && !(2010..2100).contains(&number) {
        return None;
    }
    let mut out = Vec::new();
    below_thousand(number / 100, &mut out);
    match number % 100 {
        0 => out.push("hundred"),
        rest => {
            if rest < 10 {
                out.push("oh");
            }
            below_thousand(rest, &mut out);
        }
    }
    Some(out)
}

/// A time of day as it is said: `ten thirty`, `nine oh five`, `six o'clock`.
pub(crate) fn time(hours: &str, minutes: &str) -> Option<Vec<&'static str>> {
    let (h, m): (usize, usize) = (hours.parse().ok()?, minutes.parse().ok()?);
    if h > 24 || m > 59 || minutes.len() != 2 || hours.len() > 2 {
        return None;
    }
    let mut out = words_of(&h.to_string());
    match m {
        0 => out.push("o'clock"),
        1..10 => out.extend(["oh", ONES[m]]),
        _ => below_thousand(m, &mut out),
    }
    Some(out)
}

/// Money as it is said: `five dollars`, `three pounds fifty`, `one euro`.
pub(crate) fn money(sign: char, whole: &str, part: Option<&str>) -> Option<Vec<&'static str>> {
    let (one, many, small) = match sign {
        '$' => ("dollar", "dollars", "cents"),
        '£' => ("pound", "pounds", "pence"),
        '€' => ("euro", "euros", "cents"),
        _ => return None,
    };
    let part = part.filter(|p| *p != "00");
    let mut out = Vec::new();
    if whole.bytes().any(|b| b != b'0') || part.is_none() {
        out.extend(words_of(whole));
        out.push(if whole == "1" { one } else { many });
    }
    if let Some(part) = part {
        if part.len() != 2 {
            return None;
        }
        let (joined, alone) = (!out.is_empty(), out.is_empty());
        if joined && sign == '$' {
            out.push("and");
        }
        below_thousand(part.parse().ok()?, &mut out);
        if alone || sign == '$' {
            out.push(small);
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::{money, ordinal, time, words_of, year};

    /// How American English says them, from memory.
    #[test]
    fn orders_years_times_and_money_are_read_as_they_are_said() {
        let said = |w: Option<Vec<&str>>| w.map(|w| w.join(" ")).unwrap_or_default();
        assert_eq!(ordinal("22").join(" "), "twenty second");
        assert_eq!(ordinal("30").join(" "), "thirtieth");
        assert_eq!(ordinal("112").join(" "), "one hundred twelfth");
        assert_eq!(said(year("1984")), "nineteen eighty four");
        assert_eq!(said(year("1905")), "nineteen oh five");
        assert_eq!(said(year("1900")), "nineteen hundred");
        assert_eq!((year("2005"), year("1017")), (None, None));
        assert_eq!(said(time("10", "30")), "ten thirty");
        assert_eq!(said(time("9", "05")), "nine oh five");
        assert_eq!(said(time("6", "00")), "six o'clock");
        assert_eq!(time("25", "00"), None);
        assert_eq!(said(money('$', "5", None)), "five dollars");
        assert_eq!(said(money('$', "1", Some("50"))), "one dollar and fifty cents");
        assert_eq!(said(money('£', "3", Some("50"))), "three pounds fifty");
        assert_eq!(said(money('€', "0", Some("20"))), "twenty cents");
    }

    /// How American English says them, from memory.
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
