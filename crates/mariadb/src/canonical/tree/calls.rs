//! Calls of functions, as the server prints what it makes of them.

use sqlparser::ast::{
    DuplicateTreatment, Expr, Function, FunctionArg, FunctionArgExpr, FunctionArgumentClause, FunctionArguments, Ident,
    WindowSpec, WindowType,
};

use super::super::functions;
use super::{Printed, Printer, cast, constant, last_word, named, operation};
use crate::names::always_quoted;

impl Printer<'_> {
    /// A call. The arguments are printed as in the function that the server makes of it.
    pub(super) fn call(&self, function: &Function) -> Option<Printed> {
        let written = last_word(&function.name)?;
        let lower = written.to_ascii_lowercase();
        if function.filter.is_some() || !function.within_group.is_empty() {
            return None;
        }
        if let Some(printed) = self.aggregate(&lower, function)? {
            return Some(printed);
        }
        // A word that is no column is first.
        let is_unit = |index: usize| index == 0 && matches!(lower.as_str(), "timestampadd" | "timestampdiff");
        if lower == "get_format" {
            return None;
        }
        let arguments = match &function.args {
            FunctionArguments::None => Vec::new(),
            FunctionArguments::List(list) if list.clauses.is_empty() && list.duplicate_treatment.is_none() => {
                let argument = |(index, argument): (usize, &FunctionArg)| match argument {
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) if is_unit(index) => {
                        Some(Printed::atom(expr.to_string().to_ascii_lowercase()))
                    }
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => self.print(expr),
                    _ => None,
                };
                list.args.iter().enumerate().map(argument).collect::<Option<Vec<_>>>()?
            }
            _ => return None,
        };
        // A type of CAST that `sqlparser` does not read: see `syntax.rs`.
        if let (Some(data_type), [inner]) = (written.strip_prefix("cast as "), &arguments[..]) {
            return Some(cast(inner.clone(), &functions::cast_type(data_type)?));
        }
        if matches!(lower.as_str(), "nextval" | "lastval" | "setval") {
            return self.sequence_call(&lower, function);
        }
        let name = format!("{}{}", self.names.database_of(&function.name), functions::name(&written));
        let texts: Vec<String> = arguments.iter().map(|argument| argument.text.clone()).collect();
        let all: Vec<&Printed> = arguments.iter().collect();
        let sure = all.iter().all(|argument| argument.sure);
        let is = |count: usize, own: &str| lower == own && arguments.len() == count;
        let done = |printed: Printed| Some(Printed { sure: printed.sure && sure, ..printed });
        if let Some(unit) =
            texts.get(1).and_then(|text| text.strip_prefix("interval ")).filter(|_| arguments.len() == 2)
        {
            let sign = match lower.as_str() {
                "date_add" | "adddate" => "+",
                "date_sub" | "subdate" => "-",
                _ => return done(named(&name, &arguments)),
            };
            return done(operation(format!("{} {sign} interval {unit}", arguments[0].operand())));
        }
        if is(2, "adddate") || is(2, "subdate") {
            let sign = if lower == "adddate" { "+" } else { "-" };
            return done(operation(format!(
                "{} {sign} interval {} day",
                arguments[0].operand(),
                arguments[1].operand()
            )));
        }
        if is(3, "timestampadd") || is(3, "timestampdiff") {
            let unit = functions::unit(texts[0].trim_matches('`'))?;
            if lower == "timestampdiff" {
                return done(Printed::atom(format!("timestampdiff({unit},{},{})", texts[1], texts[2])));
            }
            return done(operation(format!("{} + interval {} {unit}", arguments[2].operand(), arguments[1].operand())));
        }
        if is(2, "datediff") {
            return done(operation(format!("to_days({}) - to_days({})", texts[0], texts[1])));
        }
        if is(1, "isnull") {
            return done(operation(format!("{} is null", arguments[0].operand())));
        }
        if is(2, "mod") {
            return done(operation(format!("{} mod {}", arguments[0].operand(), arguments[1].operand())));
        }
        if is(2, "instr") {
            return done(Printed::atom(format!("locate({},{})", texts[1], texts[0])));
        }
        let simple = match (lower.as_str(), &texts[..]) {
            ("date", [inner]) => format!("cast({inner} as date)"),
            ("time", [inner]) => format!("cast({inner} as time)"),
            ("timestamp", [inner]) => format!("cast({inner} as datetime)"),
            ("round", [inner]) => format!("round({inner},0)"),
            ("bin", [inner]) => format!("conv({inner},10,2)"),
            ("oct", [inner]) => format!("conv({inner},10,8)"),
            ("weekofyear", [inner]) => format!("week({inner},3)"),
            ("weight_string", [inner]) => format!("weight_string({inner},0,0,1)"),
            ("row", items) => format!("({})", items.join(",")),
            _ => return done(named(&name, &arguments)),
        };
        done(Printed::atom(simple))
    }

    /// A call that `*`, DISTINCT, an order or a window belongs to; none within if it has none of these.
    fn aggregate(&self, name: &str, function: &Function) -> Option<Option<Printed>> {
        let FunctionArguments::List(list) = &function.args else { return Some(None) };
        let is_wildcard = |argument: &FunctionArg| matches!(argument, FunctionArg::Unnamed(FunctionArgExpr::Wildcard));
        let all = list.args.iter().any(is_wildcard);
        let is_list = name == "group_concat";
        if !all && !is_list && list.duplicate_treatment.is_none() && function.over.is_none() {
            return Some(None);
        }
        let (mut parts, mut sure) = (Vec::new(), true);
        for argument in &list.args {
            match argument {
                FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => {
                    let printed = self.print(expr)?;
                    sure &= printed.sure;
                    parts.push(printed.text);
                }
                // COUNT(*) counts a constant.
                FunctionArg::Unnamed(FunctionArgExpr::Wildcard) => parts.push("0".to_owned()),
                _ => return None,
            }
        }
        let distinct =
            if matches!(list.duplicate_treatment, Some(DuplicateTreatment::Distinct)) { "distinct " } else { "" };
        let mut text = format!("{}({distinct}{}", functions::name(name), parts.join(","));
        let mut separator = is_list.then(|| "','".to_owned());
        for clause in &list.clauses {
            match clause {
                FunctionArgumentClause::OrderBy(items) => text.push_str(&format!(" order by {}", self.order(items)?)),
                FunctionArgumentClause::Separator(value) => separator = Some(constant(value)?.text),
                _ => return None,
            }
        }
        if let Some(separator) = separator {
            text.push_str(&format!(" separator {separator}"));
        }
        text.push(')');
        match &function.over {
            None => {}
            Some(WindowType::WindowSpec(window)) => text.push_str(&format!(" over ({})", self.over(window)?)),
            Some(WindowType::NamedWindow(named)) => {
                text.push_str(&format!(" over ({})", self.over(self.names.window(named)?)?));
            }
        }
        Some(Some(Printed { sure, ..Printed::atom(text) }))
    }

    /// The text in the parentheses of OVER.
    fn over(&self, window: &WindowSpec) -> Option<String> {
        if window.window_name.is_some() {
            return None;
        }
        let mut parts = Vec::new();
        if !window.partition_by.is_empty() {
            let by = window.partition_by.iter().map(|expr| self.print(expr)).collect::<Option<Vec<_>>>()?;
            let by: Vec<&str> = by.iter().map(|by| by.text.as_str()).collect();
            parts.push(format!("partition by {}", by.join(",")));
        }
        if !window.order_by.is_empty() {
            parts.push(format!("order by {}", self.order(&window.order_by)?));
        }
        if let Some(frame) = &window.window_frame {
            let bounds = match &frame.end_bound {
                Some(end) => format!("between {} and {end}", frame.start_bound),
                None => frame.start_bound.to_string(),
            };
            parts.push(format!("{} {bounds}", frame.units).to_ascii_lowercase());
        }
        Some(parts.join(" "))
    }

    /// `nextval(sequence)`: the argument is a name, perhaps with a database.
    fn sequence_call(&self, name: &str, function: &Function) -> Option<Printed> {
        let FunctionArguments::List(list) = &function.args else { return None };
        let mut arguments = Vec::new();
        for (index, argument) in list.args.iter().enumerate() {
            let FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) = argument else { return None };
            let quoted = |ident: &Ident| always_quoted(&ident.value);
            arguments.push(match expr {
                Expr::Identifier(ident) if index == 0 => quoted(ident),
                Expr::CompoundIdentifier(parts) if index == 0 => parts.iter().map(quoted).collect::<Vec<_>>().join("."),
                other => self.print(other)?.text,
            });
        }
        Some(Printed::atom(format!("{name}({})", arguments.join(","))))
    }
}
